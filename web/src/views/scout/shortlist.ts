/** Up to four candidates side by side, on their way to drafts, the bench and what is kept. */
import { create } from 'zustand';
import type { Candidate, Draft } from '../../api/client';
import { put, useDrafts } from '../../drafts/store';

export const MOST = 4;
type Shortlist = { rows: Candidate[]; problem?: string | undefined };
export const useShortlist = create<Shortlist>(() => ({ rows: [] }));

const same = (a: Candidate, b: Candidate) =>
  a.legs.length === b.legs.length &&
  a.legs.every((l, i) => l.contract === b.legs[i]?.contract && l.quantity === b.legs[i].quantity);
export const isListed = (rows: Candidate[], c: Candidate) => rows.some((r) => same(r, c));
export function turn(c: Candidate) {
  const { rows } = useShortlist.getState();
  if (isListed(rows, c)) useShortlist.setState({ rows: rows.filter((r) => !same(r, c)) });
  else if (rows.length < MOST) useShortlist.setState({ rows: [...rows, c] });
}

/** A candidate as a draft at its price; on units that are held only its options. */
export function draftOf(c: Candidate, onHeld: boolean): Draft {
  return {
    symbol: c.symbol,
    legs: onHeld ? c.legs.filter((l) => l.contract !== c.symbol) : c.legs,
    ...(onHeld ? {} : { entry: { net: c.price.value } }),
  };
}
/** Puts drafts into the tray; false, with a reason, when it has too few places. */
export function toTray(drafts: Draft[]): boolean {
  const before = useDrafts.getState().active;
  for (const d of drafts)
    if (put(d) === undefined) {
      useShortlist.setState({
        problem: 'The tray has no place left: throw a draft away, or set one on the shelf.',
      });
      return false;
    }
  useShortlist.setState({ problem: undefined });
  if (drafts.length > 1)
    useDrafts.setState((s) => ({ active: s.drafts[before] ? s.active : before }));
  return true;
}
