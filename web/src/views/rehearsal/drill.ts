/** A drill as it is written: plain data with the names of its text; any number may be a list. */
export type Num = number | number[];
export type Strike = { points?: Num; percent?: Num; sigma?: Num; delta?: Num; leg?: number };
export type DrillLeg = {
  side: 'buy' | 'sell';
  quantity: Num;
  right: 'call' | 'put' | 'underlying';
  strike?: Strike;
  later?: Num;
};
/** A table with one key. */
export type Condition = Record<string, unknown>;
export type Deed = 'close' | 'rebuild' | { roll: Num } | { close_side: 'pressed' | 'quiet' };
export type Adjust = { when: Condition; do: Deed; most?: Num };
export type Drill = {
  name: string;
  symbol: string;
  from: string;
  to: string;
  looks: string[];
  price: Num | string;
  fees: boolean;
  stake?: Num;
  enter: {
    expiration: { kind: string; days: Num; least?: Num };
    every: string | number | number[];
    if?: Condition[];
    size: Num | { percent_of_stake: Num };
    legs: DrillLeg[];
  };
  adjust?: Adjust[];
  leave: { when?: Condition[]; until_expirations?: Num };
};

/** Limits on a figure: keys of conditions with one side and one number, and what they are called. */
export const LIMITS: [string, string][] = [
  ['vol', 'implied volatility, as a fraction'],
  ['rank', 'volatility rank'],
  ['vol_since', 'change of volatility, points'],
  ['to_sold_strike', 'σ to a sold strike'],
  ['to_break_even', 'σ to a break-even'],
  ['sold_delta', 'delta of a sold option'],
  ['sold_time_value', 'time value of a sold option'],
  ['sold_price', 'price of a sold option'],
  ['kept_a_day', 'credit kept a day, %'],
  ['campaign_delta', 'delta'],
  ['campaign_lean', 'lean in index shares'],
  ['campaign_theta', 'theta a day'],
  ['campaign_vega', 'vega a point'],
];
/** Of limits that can be on one side alone, that side. */
export const SIDE: Record<string, string> = {
  to_sold_strike: 'at_or_below',
  to_break_even: 'at_or_below',
  sold_delta: 'at_or_above',
  sold_time_value: 'at_or_below',
  sold_price: 'at_or_below',
  kept_a_day: 'at_or_above',
};
export const AMOUNTS: [string, string][] = [
  ['percent_of_max', '% of max'],
  ['percent_of_stake', '% of the stake'],
  ['times_credit', '× the credit'],
  ['times_debit', '× the debit'],
  ['money', 'in money'],
];
/** Every kind of condition with its name, in the order of the list; those of an entry know of no position. */
export const CONDITIONS: { key: string; name: string; before: boolean; usual: () => unknown }[] = [
  { key: 'profit', name: 'profit', before: false, usual: () => ({ percent_of_max: 50 }) },
  { key: 'loss', name: 'loss', before: false, usual: () => ({ times_credit: 2 }) },
  { key: 'days_left', name: 'days left, or fewer', before: true, usual: () => 21 },
  { key: 'days_open', name: 'days open, or more', before: false, usual: () => 10 },
  {
    key: 'price',
    name: 'price',
    before: true,
    usual: () => ({ at_or_below: { leg: 1, points: 0 } }),
  },
  {
    key: 'delta',
    name: 'delta of a leg',
    before: false,
    usual: () => ({ leg: 1, at_or_above: 0.3 }),
  },
  {
    key: 'event',
    name: 'event ahead',
    before: true,
    usual: () => ({ kind: 'earnings', sessions: 1 }),
  },
  ...LIMITS.map(([key, name]) => ({
    key,
    name,
    before: key === 'vol' || key === 'rank',
    usual: () => ({ [SIDE[key] ?? 'at_or_above']: key === 'vol' ? 0.2 : key === 'rank' ? 25 : 1 }),
  })),
  { key: 'and', name: 'all of', before: true, usual: () => [{ days_left: 21 }] },
  { key: 'or', name: 'one of', before: true, usual: () => [{ days_left: 21 }] },
  {
    key: 'not',
    name: 'not',
    before: true,
    usual: () => ({ event: { kind: 'earnings', sessions: 1 } }),
  },
];
export const keyOf = (c: Condition) => Object.keys(c)[0] ?? 'profit';

/** A list with one of it replaced, or taken out. */
export const replaced = <T>(list: T[], i: number, by: T | undefined): T[] =>
  list.flatMap((one, j) => (j === i ? (by === undefined ? [] : [by]) : [one]));

/** The same with a field of another value; without it where there is none. */
export const put = <T extends object, K extends keyof T>(
  of: T,
  key: K,
  value: T[K] | undefined,
): T =>
  Object.fromEntries(
    Object.entries({ ...of, [key]: value }).filter(([, v]) => v !== undefined),
  ) as T;

/** Whether any number of it is a list. */
export function varies(value: unknown): boolean {
  if (Array.isArray(value))
    return (value.length > 0 && value.every((v) => typeof v === 'number')) || value.some(varies);
  return typeof value === 'object' && value !== null && Object.values(value).some(varies);
}

/** What a field of numbers says: one, several, or neither. */
export function readNum(text: string): Num | undefined {
  const parts = text.split(/[;,]\s*|\s+/).filter((p) => p !== '');
  const all = parts.map((p) => Number(p.replace('−', '-')));
  if (all.length === 0 || all.some((n) => !Number.isFinite(n))) return undefined;
  return all.length === 1 ? all[0] : all;
}
export const writeNum = (n: Num | undefined): string =>
  n === undefined ? '' : Array.isArray(n) ? n.join(', ') : String(n);

/** A drill to begin with, on a symbol and a span; habits are the trader's to fill in. */
export const blank = (symbol: string, from: string, to: string): Drill => ({
  name: 'a drill',
  symbol,
  from,
  to,
  looks: ['close'],
  price: 0.5,
  fees: true,
  stake: 5000,
  enter: {
    expiration: { kind: 'monthly', days: 45 },
    every: 'expiration',
    size: 1,
    legs: [
      { side: 'sell', quantity: 1, right: 'put', strike: { delta: 0.2 } },
      { side: 'buy', quantity: 1, right: 'put', strike: { leg: 1, points: -50 } },
    ],
  },
  leave: { when: [{ days_left: 5 }] },
});
