/** What the book shows of each campaign: chosen by the trader and remembered here. */
import type { ReactNode } from 'react';
import type { Position } from '../../api/client';
import { RangeStrip } from '../../chart/glyph';
import { fixed, percent } from '../../format';
import { cents, tone } from '../../money';
import { sum } from '../../money';
import { kept } from '../../ui/kept';
import type { TermKey } from '../../ui/terms';

export type BookColumn = {
  key: string;
  head: string;
  term?: TermKey;
  width: number;
  left?: boolean;
  /** What the rows are sorted by; what has none comes last. */
  by: (p: Position) => number | string | null | undefined;
  cell: (p: Position) => ReactNode;
  /** The foot of the column, where a sum has a meaning. */
  total?: (all: Position[]) => ReactNode;
};

const amount = (text: string) => <span className={tone(text)}>{cents(text, true)}</span>;
const sumOf = (f: (p: Position) => string) => (all: Position[]) => amount(sum(all.map(f)));
const model = (f: (p: Position) => number | null | undefined, decimals: number) => ({
  by: f,
  cell: (p: Position) => fixed(f(p), decimals, true),
  total: (all: Position[]) =>
    fixed(
      all.reduce((n, p) => n + (f(p) ?? 0), 0),
      decimals,
      true,
    ),
});

export const COLUMNS: BookColumn[] = [
  {
    key: 'days',
    head: 'expires',
    term: 'expiration',
    width: 92,
    by: (p) => p.days,
    cell: (p) =>
      p.expiry && (
        <>
          {p.expiry}, <b>{p.days} d</b>
        </>
      ),
  },
  {
    key: 'range',
    head: 'range, ±3 σ',
    term: 'scaledStrip',
    width: 152,
    left: true,
    by: (p) => p.nearest,
    cell: (p) =>
      p.scaled ? (
        <RangeStrip strip={p.scaled} id={`strip-${p.campaign}`} width={136} bare />
      ) : (
        <span className="text-ink2">{p.expiry ? 'no market' : ''}</span>
      ),
  },
  {
    key: 'nearest',
    head: 'σ to it',
    term: 'nearest',
    width: 54,
    by: (p) => p.nearest,
    cell: (p) => fixed(p.nearest, 2),
  },
  {
    key: 'open',
    head: 'open profit',
    term: 'openProfit',
    width: 88,
    by: (p) => Number(p.openProfit),
    cell: (p) => (
      <span data-testid="open-profit" className="font-semibold">
        {amount(p.openProfit)}
      </span>
    ),
    total: sumOf((p) => p.openProfit),
  },
  {
    key: 'realised',
    head: 'realised',
    term: 'realised',
    width: 84,
    by: (p) => Number(p.realised),
    cell: (p) => amount(p.realised),
    total: sumOf((p) => p.realised),
  },
  {
    key: 'total',
    head: 'in all',
    term: 'inAll',
    width: 84,
    by: (p) => Number(p.total),
    cell: (p) => amount(p.total),
    total: sumOf((p) => p.total),
  },
  {
    key: 'ofMost',
    head: '% of max',
    term: 'ofMax',
    width: 60,
    by: (p) => p.ofMost,
    cell: (p) => (p.ofMost == null ? '' : `${percent(p.ofMost, 0)} %`),
  },
  {
    key: 'ofLeast',
    head: '% of loss',
    term: 'ofLoss',
    width: 60,
    by: (p) => p.ofLeast,
    cell: (p) => (p.ofLeast == null ? '' : `${percent(p.ofLeast, 0)} %`),
  },
  {
    key: 'netCash',
    head: 'credit',
    term: 'netCash',
    width: 88,
    by: (p) => Number(p.netCash),
    cell: (p) => amount(p.netCash),
    total: sumOf((p) => p.netCash),
  },
  { key: 'lean', head: 'lean', term: 'lean', width: 54, ...model((p) => p.lean, 1) },
  // Deltas of different underlyings make no sum: the lean does.
  {
    key: 'delta',
    head: 'Δ',
    term: 'delta',
    width: 58,
    ...model((p) => p.greeks?.delta, 1),
    total: undefined,
  },
  {
    key: 'gamma',
    head: 'Γ',
    term: 'gamma',
    width: 58,
    ...model((p) => p.greeks?.gamma, 2),
    total: undefined,
  },
  { key: 'theta', head: 'θ', term: 'theta', width: 62, ...model((p) => p.greeks?.theta, 2) },
  { key: 'vega', head: 'vega', term: 'vega', width: 60, ...model((p) => p.greeks?.vega, 1) },
  {
    key: 'margin',
    head: 'margin',
    term: 'margin',
    width: 84,
    by: (p) => Number(p.margin),
    cell: (p) => cents(p.margin),
  },
  {
    key: 'capital',
    head: 'capital',
    term: 'capital',
    width: 84,
    by: (p) => Number(p.tiedUp),
    cell: (p) => cents(p.tiedUp),
    total: (all) => cents(sum(all.map((p) => p.tiedUp))),
  },
  {
    key: 'return',
    head: '% of capital',
    term: 'onCapital',
    width: 78,
    by: (p) => (Number(p.tiedUp) > 0 ? Number(p.total) / Number(p.tiedUp) : undefined),
    cell: (p) =>
      Number(p.tiedUp) > 0 ? `${percent(Number(p.total) / Number(p.tiedUp), 1)} %` : '',
  },
  {
    key: 'next',
    head: 'next date',
    term: 'nextDate',
    width: 150,
    left: true,
    by: (p) => p.next,
    cell: (p) => <span className="text-[12px]">{p.next}</span>,
  },
];

const USUAL = ['days', 'range', 'open', 'total', 'ofMost', 'lean', 'theta', 'vega', 'capital'];
export const useBookColumns = kept<{ keys: string[] }>('book-columns', { keys: USUAL });
export function toggleColumn(key: string) {
  useBookColumns.setState(({ keys }) => ({
    keys: keys.includes(key) ? keys.filter((k) => k !== key) : [...keys, key],
  }));
}
