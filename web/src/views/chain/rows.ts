import { useMemo } from 'react';
import type { Leg, Row } from '../../api/client';
import { isOption, parts } from '../../drafts/contract';

/** So many rows on each side of the price, two deviations, or all. */
export type Around = '11' | '25' | 'sigma' | 'all';

/** Rows (strikes from high to low) that are shown; legs are always among them. */
function shown(rows: Row[], around: Around, spot: number, bands: number[], legs: Leg[]): Row[] {
  if (around === 'all') return rows;
  const first = (test: (r: Row) => boolean) => {
    const i = rows.findIndex(test);
    return i < 0 ? rows.length : i;
  };
  const middle = first((r) => r.at < spot);
  const [from, to] = around === 'sigma'
    ? [first((r) => r.at <= Math.max(...bands)) - 1, first((r) => r.at < Math.min(...bands)) + 1]
    : [middle - Number(around), middle + Number(around)];
  const places = legs.filter((l) => isOption(l.contract)).map((l) => rows.findIndex((r) => r.at === parts(l.contract).strike)).filter((i) => i >= 0);
  return rows.slice(Math.max(0, Math.min(from, ...places.map((i) => i - 1))), Math.max(to, ...places.map((i) => i + 2)));
}

const NONE: Row[] = [];
/** The rows to show, the same list while nothing about them changed; none before the price is known. */
export function useShown(rows: Row[], around: Around, spot: number | undefined, bands: number[] | undefined, legs: Leg[] | undefined): Row[] {
  return useMemo(() => (spot === undefined ? NONE : shown(rows, around, spot, bands ?? [], legs ?? [])), [rows, around, spot, bands, legs]);
}
