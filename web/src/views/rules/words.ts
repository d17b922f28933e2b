import type { Measure, Rule, Structure } from '../../api/client';

export const GROUPS: Record<Measure['group'], string> = {
  profit: 'Profit',
  loss: 'Loss',
  time: 'Time',
  price: 'Price',
  volatility: 'Volatility',
  greeks: 'Greeks of a campaign',
  account: 'The account',
  'new trades': 'New trades',
};
export const UNITS: Record<Measure['unit'], string> = {
  money: '',
  percent: '%',
  times: 'times',
  days: 'days',
  sessions: 'sessions',
  deviations: 'σ',
  number: '',
  price: 'a unit',
  points: 'points',
  count: '',
};
export const STRUCTURES: Structure[] = [
  'single option',
  'vertical',
  'butterfly',
  'condor',
  'straddle or strangle',
  'ratio spread',
  'calendar or diagonal',
  'position with its underlying',
  'position in the underlying alone',
  'structure of another kind',
];

/** Decimal text, signed. */
export const isDecimal = (text: string) => /^-?\d+(\.\d+)?$/.test(text);

/** The usual rule about a measure, without its limit: there is none as long as nobody says one. */
export const ruleAbout = (m: Measure): Rule => ({
  scope: { for: 'all' },
  measure: m.measure,
  side: m.sides[0] ?? 'above',
  limit: '',
  again: m.subject === 'trade' ? undefined : '0',
  on: true,
});
