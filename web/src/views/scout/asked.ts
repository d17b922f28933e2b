/** What is expected and what is looked for, as they are written, and the requests that they make. */
import type { Expectation, Expected, Family, RankBy, SearchRequest } from '../../api/client';
import { readNumber } from '../../ui/fields';
import { kept } from '../../ui/kept';

export const FAMILIES: { value: Family; name: string }[] = [
  { value: 'single', name: 'single' },
  { value: 'vertical', name: 'vertical' },
  { value: 'straddle', name: 'straddle' },
  { value: 'strangle', name: 'strangle' },
  { value: 'ratio', name: 'ratio' },
  { value: 'butterfly', name: 'butterfly' },
  { value: 'butterfly-skewed', name: 'skewed butterfly' },
  { value: 'condor', name: 'condor' },
  { value: 'condor-skewed', name: 'skewed condor' },
  { value: 'calendar', name: 'calendar' },
  { value: 'diagonal', name: 'diagonal' },
  { value: 'covered', name: 'covered call' },
  { value: 'protected', name: 'protective put' },
  { value: 'collar', name: 'collar' },
  { value: 'shares', name: 'shares' },
];
export const RANKS: { value: RankBy; name: string; written: string }[] = [
  {
    value: 'expectedPerCapital',
    name: 'expected / capital',
    written: 'mean profit by my law ÷ capital tied up',
  },
  {
    value: 'expectedPerLoss',
    name: 'expected / max loss',
    written: 'mean profit by my law ÷ max loss',
  },
  {
    value: 'expectedPerDay',
    name: 'expected a day',
    written: 'mean profit by my law ÷ calendar days to the date',
  },
  { value: 'expected', name: 'expected', written: 'mean profit by my law' },
  { value: 'excess', name: 'excess', written: 'mean profit by my law − by the market’s' },
  { value: 'chance', name: 'chance', written: 'chance of profit by my law' },
];
/** Counted in percent, not in money. */
export const isShare = (r: RankBy) =>
  r === 'chance' || r === 'expectedPerCapital' || r === 'expectedPerLoss';

type Written = {
  symbol: string;
  /** ISO, or nothing: some weeks ahead. */
  by: string;
  low: string;
  high: string;
  unit: 'prices' | 'deviations';
  /** Percent. */
  sure: string;
  law: 'flat' | 'smile';
};
export const useWritten = kept<Written>('scout-expected', {
  symbol: '',
  by: '',
  low: '',
  high: '',
  unit: 'prices',
  sure: '',
  law: 'smile',
});

export type Asked = {
  over: 'one' | 'some' | 'all';
  some: string;
  families: Family[];
  price: string;
  fees: boolean;
  expirations: string;
  strikes: string;
  reach: string;
  width: string;
  rank: RankBy | 'own';
  weights: Record<RankBy, string>;
  maxLoss: string;
  capital: string;
  chance: string;
  pays: 'either' | 'debit' | 'credit';
  legs: string;
  marketWidth: string;
  openInterest: string;
  unlimited: boolean;
  level: boolean;
  lean: boolean;
  rule: boolean;
};
export const useAsked = kept<Asked>('scout-asked', {
  over: 'one',
  some: '',
  families: FAMILIES.map((f) => f.value),
  price: '0.5',
  fees: true,
  expirations: '4',
  strikes: '24',
  reach: '2',
  width: '',
  rank: 'expectedPerCapital',
  weights: {
    expected: '',
    chance: '',
    excess: '',
    expectedPerCapital: '',
    expectedPerLoss: '',
    expectedPerDay: '',
  },
  maxLoss: '',
  capital: '',
  chance: '',
  pays: 'either',
  legs: '',
  marketWidth: '20',
  openInterest: '',
  unlimited: false,
  level: true,
  lean: false,
  rule: false,
});

export const write = (change: Partial<Written>) => {
  useWritten.setState(change);
};
/** A certainty that is none. */
export function badSure(w: Written) {
  const sure = readNumber(w.sure);
  return sure != null && (sure < 0 || sure > 100);
}
/** So many deviations from the price reach beyond every law. */
const FARTHEST = 8;
/** Ends the wrong way round, or too far away. */
export function badEnds(w: Written) {
  const [low, high] = [readNumber(w.low), readNumber(w.high)];
  const far = (n: number | null | undefined) =>
    n != null && w.unit === 'deviations' && Math.abs(n) > FARTHEST;
  return (low != null && high != null && low >= high) || far(low) || far(high);
}
/** A date on which nothing is left to expect. */
export const isPast = (w: Written, today: string) => w.by !== '' && w.by <= today;

/** The date to expect by: what is written, nothing where that has passed, and where nothing is written the one nearest to what was answered. An answer to an earlier day tells no date: what follows from this is final, so that whoever writes it is not asked again. */
export function dateWanted(
  w: Written,
  today: string,
  answered: { date: string; dates: string[] } | undefined,
): string {
  if (isPast(w, today)) return '';
  if (w.by !== '' || !answered || answered.date <= today) return w.by;
  const away = (d: string) => Math.abs(Date.parse(d) - Date.parse(answered.date));
  const ahead = answered.dates.filter((d) => d > today);
  return ahead.length === 0 ? '' : ahead.reduce((a, b) => (away(b) < away(a) ? b : a));
}

/** What is written as an expectation; without a region the market's band of one deviation, at the market's own chance. What makes no sense as it stands is none, so that nobody is asked about it. */
export function expectationOf(w: Written, today: string, guess: string): Expectation | null {
  if (badSure(w) || badEnds(w) || isPast(w, today)) return null;
  const [low, high, sure] = [readNumber(w.low), readNumber(w.high), readNumber(w.sure)];
  const drawn = low != null || high != null;
  const plain = { by: w.by || guess, law: w.law };
  if (!drawn) return { ...plain, low: -1, high: 1, unit: 'deviations', sure: null };
  return {
    ...plain,
    low: low ?? null,
    high: high ?? null,
    unit: w.unit,
    sure: sure == null ? null : sure / 100,
  };
}
export const isDrawn = (w: Written) => readNumber(w.low) != null || readNumber(w.high) != null;

/** The request for what is asked; or the names of fields that make no sense. */
export function requestOf(
  a: Asked,
  expectation: Expectation,
  symbols: string[],
): { body: SearchRequest } | { wrong: string[] } {
  const wrong: string[] = [];
  const read = (name: string, text: string, low: number, high: number, whole = false) => {
    const n = readNumber(text);
    if (n === undefined) return null;
    if (n === null || n < low || n > high || (whole && !Number.isInteger(n))) {
      wrong.push(name);
      return null;
    }
    return n;
  };
  const price = read('price', a.price, 0, 1);
  const expirations = read('expirations', a.expirations, 1, 12, true) ?? 4;
  const strikes = read('strikes', a.strikes, 4, 60, true);
  const reach = read('reach', a.reach, 0.1, 6) ?? 3;
  const width = read('width', a.width, 1e-9, 1e9);
  const weights = Object.fromEntries(
    RANKS.map((r) => [r.value, read(`weight of ${r.name}`, a.weights[r.value], -1e6, 1e6) ?? 0]),
  ) as Record<RankBy, number>;
  if (a.rank === 'own' && Object.values(weights).every((w) => w === 0)) wrong.push('weights');
  if (a.families.length === 0) wrong.push('families');
  if (symbols.length === 0) wrong.push('symbols');
  const part = (n: number | null) => (n === null ? null : n / 100);
  const limits: SearchRequest['limits'] = {
    maxLoss: read('max loss', a.maxLoss, 0, 1e12),
    capital: read('capital', a.capital, 0, 1e12),
    chance: part(read('chance', a.chance, 0, 100)),
    pays: a.pays === 'either' ? null : a.pays,
    legs: read('legs', a.legs, 1, 8, true),
    marketWidth: part(read('market width', a.marketWidth, 0, 100)),
    openInterest: read('open interest', a.openInterest, 0, 1e9, true) ?? 0,
    unlimited: a.unlimited,
    level: a.level,
    lean: a.lean,
    rule: a.rule,
  };
  if (wrong.length > 0) return { wrong };
  return {
    body: {
      symbols,
      expectation,
      families: a.families,
      // A part is exact decimal text.
      price: String(price ?? 0),
      fees: a.fees,
      expirations,
      strikes,
      reach,
      width,
      rank: a.rank === 'own' ? 'expectedPerCapital' : a.rank,
      weights: a.rank === 'own' ? weights : null,
      limits,
      rows: 40,
    },
  };
}

/** The region in words: "above 190", "180 to 200". */
export function regionWords(
  e: { low?: number | null; high?: number | null },
  show: (n: number) => string,
) {
  if (e.low != null && e.high != null) return `between ${show(e.low)} and ${show(e.high)}`;
  return e.low != null ? `above ${show(e.low)}` : `below ${show(e.high ?? 0)}`;
}
/** A price with as many decimals as its size asks for. */
export const decimalsFor = (price: number) => (price >= 1000 ? 0 : price >= 100 ? 1 : 2);
export const rounded = (price: number) => price.toFixed(decimalsFor(price));

/** Both ends as they stand in the other unit. */
export function turned(w: Written, e: Expected): Partial<Written> {
  const text = (n: number | null | undefined, decimals: number) =>
    n == null ? '' : n.toFixed(decimals);
  return w.unit === 'prices'
    ? {
        unit: 'deviations',
        low: text(e.lowDeviations, 2),
        high: text(e.highDeviations, 2),
      }
    : {
        unit: 'prices',
        low: e.low == null ? '' : rounded(e.low),
        high: e.high == null ? '' : rounded(e.high),
      };
}
