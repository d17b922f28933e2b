/** How changed rows of a chain come into those that are shown. */
import type { Line, Row } from './client';

/** A mark of movement stays at least so long, in ms. */
export const MARKED = 600;

/** Prices of one market in their order; eighths and 64ths are written with two digits, so they keep it. */
const placeOf = (price: string) => Number(price.replace('-', '.'));

/** The prices that moved, each with its way: `call-bid↑`, `put-ask↓`. One that came or went has no way. */
function movedCells(a: Row, b: Row): string {
  const pairs = [
    [a.call.bid, b.call.bid, 'call-bid'],
    [a.call.ask, b.call.ask, 'call-ask'],
    [a.put.bid, b.put.bid, 'put-bid'],
    [a.put.ask, b.put.ask, 'put-ask'],
  ] as const;
  return pairs
    .flatMap(([x, y, name]) => {
      if (x == null || y == null || x === y) return [];
      return [`${name}${placeOf(y) > placeOf(x) ? '↑' : '↓'}`];
    })
    .join(' ');
}

export const linesOf = (rows: Row[]): Line[] =>
  rows.map((r, index) => ({
    strike: r.strike,
    at: r.at,
    call: r.call.contract,
    put: r.put.contract,
    index,
  }));

/** The rows as they were where nothing changed, so that only changed rows are drawn again. Marks of movement end after a while. */
export function merge(before: Row[] | undefined, changed: Row[], at: number): Row[] {
  const by = new Map(changed.map((r) => [r.strike, r]));
  return (before ?? []).map((r) => {
    const next = by.get(r.strike);
    if (next) {
      const cells = movedCells(r, next);
      return cells ? { ...next, moved: { cells, at } } : { ...next, moved: r.moved };
    }
    return r.moved && at - r.moved.at > MARKED ? { ...r, moved: undefined } : r;
  });
}
