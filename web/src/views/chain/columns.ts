/** Which columns a chain shows, in which order, and of which side: chosen by the trader and remembered here. */
import type { Column } from '../../api/client';
import { useNarrow } from '../../ui/narrow';
import { kept } from '../../ui/kept';
import type { TermKey } from '../../ui/terms';

export type Sides = 'both' | 'calls' | 'puts';
type Told = { key: Column; head: string; name: string; term: TermKey };

/** All there are, as they are listed in the chooser. */
export const COLUMNS: Told[] = [
  { key: 'openInterest', head: 'OI', name: 'open interest', term: 'openInterest' },
  { key: 'volume', head: 'vol', name: 'volume', term: 'volume' },
  { key: 'implied', head: 'IV %', name: 'implied volatility', term: 'implied' },
  { key: 'delta', head: 'Δ', name: 'delta', term: 'delta' },
  { key: 'gamma', head: 'Γ', name: 'gamma', term: 'gamma' },
  { key: 'theta', head: 'θ', name: 'theta, a day; within the last day, to the end', term: 'theta' },
  { key: 'vega', head: 'vega', name: 'vega, a point', term: 'vega' },
  { key: 'rho', head: 'rho', name: 'rho, a point of interest', term: 'rho' },
  { key: 'last', head: 'last', name: 'last trade', term: 'last' },
  { key: 'change', head: 'chg', name: 'change since the last close', term: 'change' },
  { key: 'middle', head: 'mid', name: 'middle', term: 'mid' },
  { key: 'theoretical', head: 'theo', name: 'theoretical value', term: 'theoretical' },
  { key: 'bidSize', head: 'b size', name: 'contracts bid for', term: 'bidSize' },
  { key: 'askSize', head: 'a size', name: 'contracts offered', term: 'askSize' },
  { key: 'intrinsic', head: 'intr', name: 'intrinsic value', term: 'intrinsic' },
  { key: 'timeValue', head: 'time', name: 'time value', term: 'timeValue' },
  {
    key: 'timeValueDay',
    head: 'time/d',
    name: 'time value for each day left',
    term: 'timeValueDay',
  },
  { key: 'chanceIn', head: 'in %', name: 'chance of ending in the money', term: 'chanceIn' },
  {
    key: 'chanceTouch',
    head: 'touch %',
    name: 'chance of touching the strike',
    term: 'chanceTouch',
  },
  { key: 'width', head: 'width %', name: 'width of the market, of its middle', term: 'width' },
];
export const told = (key: Column) => COLUMNS.find((c) => c.key === key);

/** So many stand beside each other without crowding, on each side or on one alone. */
export const mostOf = (sides: Sides) => {
  const wide = window.innerWidth >= 1600;
  return sides === 'both' ? (wide ? 9 : 6) : wide ? 20 : 14;
};

type Chosen = { columns: Column[]; sides: Sides };
const USUAL: Chosen = { columns: ['openInterest', 'volume', 'implied', 'delta'], sides: 'both' };

export const useColumns = kept<Chosen>('chain-columns', USUAL, ({ columns, sides }) => ({
  columns: columns.filter((c) => told(c)),
  sides: sides === 'calls' || sides === 'puts' ? sides : 'both',
}));

const NARROW: Column[] = ['delta'];
/** What is shown of what was chosen: a page held in one hand has room for one side and its deltas. */
export function useShown(): Chosen {
  const chosen = useColumns();
  const narrow = useNarrow();
  return narrow ? { columns: NARROW, sides: chosen.sides === 'puts' ? 'puts' : 'calls' } : chosen;
}

function choose(next: Chosen) {
  useColumns.setState({ ...next, columns: next.columns.slice(0, mostOf(next.sides)) });
}
export const showSides = (sides: Sides) => {
  choose({ ...useColumns.getState(), sides });
};
export function toggle(key: Column) {
  const now = useColumns.getState();
  choose({
    ...now,
    columns: now.columns.includes(key)
      ? now.columns.filter((c) => c !== key)
      : [...now.columns, key],
  });
}
/** Moves a column one place nearer to the prices (+1) or farther from them (−1). */
export function move(key: Column, by: 1 | -1) {
  const now = useColumns.getState();
  const from = now.columns.indexOf(key);
  const to = from + by;
  if (from < 0 || to < 0 || to >= now.columns.length) return;
  const columns = now.columns.filter((c) => c !== key);
  columns.splice(to, 0, key);
  choose({ ...now, columns });
}
export const usual = () => {
  choose(USUAL);
};
