import type { Leg, Line } from '../../api/client';
import { isOption, keyOf, parts } from '../../drafts/contract';

/** As many rows as the page has room for, so many on each side of the price, two deviations, or all. */
export type Around = 'fit' | '25' | 'sigma' | 'all';

/** Height of all that stands above and below the rows, and of two of them. */
const [ELSEWHERE, TWO_ROWS] = [350, 40];
/** Rows on each side of the price that a page of a height has room for. */
export const fitting = (height: number) => Math.max(6, Math.floor((height - ELSEWHERE) / TWO_ROWS));

/** Which rows (strikes from high to low) are shown of an expiration, from one up to before another; its legs are
 * always among them. */
export function shown(
  key: string,
  rows: Line[],
  around: Around,
  spot: number,
  bands: number[],
  legs: Leg[],
  fit: number,
): [number, number] {
  if (around === 'all') return [0, rows.length];
  const first = (test: (r: Line) => boolean) => {
    const i = rows.findIndex(test);
    return i < 0 ? rows.length : i;
  };
  const half = around === 'fit' ? fit : Number(around);
  const middle = first((r) => r.at < spot);
  const [from, to] =
    around === 'sigma'
      ? [first((r) => r.at <= Math.max(...bands)) - 1, first((r) => r.at < Math.min(...bands)) + 1]
      : [middle - half, middle + half];
  const here = legs.filter((l) => isOption(l.contract) && keyOf(l.contract) === key);
  const places = here
    .map((l) => rows.findIndex((r) => r.at === parts(l.contract).strike))
    .filter((i) => i >= 0);
  return [
    Math.max(0, Math.min(from, ...places.map((i) => i - 1))),
    Math.min(rows.length, Math.max(to, ...places.map((i) => i + 2))),
  ];
}
