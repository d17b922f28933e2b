/** What of the market's table is wanted: which questions, and ranges on any of its figures, kept under names. */
import type { ScoutRow } from '../../api/client';
import { kept } from '../../ui/kept';

/** A figure that rows are filtered by. */
export const FIGURES = {
  level: { name: 'price', of: (r: ScoutRow) => r.level },
  change: { name: 'change, %', of: (r: ScoutRow) => r.change },
  implied: { name: 'IV 30 d', of: (r: ScoutRow) => r.implied },
  rank: { name: 'rank', of: (r: ScoutRow) => r.rank },
  percentile: { name: 'percentile', of: (r: ScoutRow) => r.percentile },
  realised: { name: 'realised', of: (r: ScoutRow) => r.realised },
  overRealised: { name: 'IV / realised', of: (r: ScoutRow) => r.overRealised },
  nearFar: { name: 'near − far', of: (r: ScoutRow) => r.nearFar },
  putCall: { name: 'put − call', of: (r: ScoutRow) => r.putCall },
  sessions: { name: 'sessions to news', of: (r: ScoutRow) => r.news?.sessions },
  priced: { name: 'priced move, %', of: (r: ScoutRow) => r.news?.priced },
  real: { name: 'past moves, %', of: (r: ScoutRow) => r.news?.real },
  premium: { name: 'priced / past moves', of: (r: ScoutRow) => r.news?.premium },
  trip: {
    name: 'in and out, money',
    of: (r: ScoutRow) => (r.roundTrip == null ? undefined : Number(r.roundTrip)),
  },
  ofWidth: { name: 'in and out, % of width', of: (r: ScoutRow) => r.ofWidth },
  openInterest: { name: 'open interest', of: (r: ScoutRow) => r.openInterest },
  volume: { name: 'volume', of: (r: ScoutRow) => r.volume },
  beta: { name: 'beta', of: (r: ScoutRow) => r.beta },
  held: { name: 'campaigns held', of: (r: ScoutRow) => r.held },
  risk: { name: 'capital at risk, %', of: (r: ScoutRow) => r.risk },
  sectorRisk: { name: 'at risk in its sector, %', of: (r: ScoutRow) => r.sectorRisk },
} as const;
export type Figure = keyof typeof FIGURES;
export type Range = { figure: Figure; from?: number; to?: number };

export const QUESTIONS = ['dear', 'comes', 'cost', 'book'] as const;
export type Question = (typeof QUESTIONS)[number];
export type Wanted = {
  questions: Question[];
  /** Columns that are not wanted, by key. */
  hidden: string[];
  ranges: Range[];
  named: Record<string, Range[]>;
};
export const useWanted = kept<Wanted>('scout', {
  questions: ['dear', 'comes', 'cost'],
  hidden: [],
  ranges: [],
  named: {},
});

/** Whether a row lies in every range; what has no figure lies in none. */
export const fits = (row: ScoutRow, ranges: Range[]) =>
  ranges.every((r) => {
    const x = FIGURES[r.figure].of(row);
    return x != null && x >= (r.from ?? -Infinity) && x <= (r.to ?? Infinity);
  });
/** Ranges with another one; one on the same figure takes the place of the earlier. */
export const withRange = (ranges: Range[], more: Range) => [
  ...ranges.filter((r) => r.figure !== more.figure),
  more,
];
export function told(r: Range): string {
  const { name } = FIGURES[r.figure];
  if (r.from !== undefined && r.to !== undefined) return `${name} ${r.from} to ${r.to}`;
  return r.from === undefined ? `${name} up to ${r.to ?? ''}` : `${name} from ${r.from}`;
}
