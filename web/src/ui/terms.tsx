/** The words of the screens, explained once: on hover and focus where they stand, and in the help. */
import type { ReactNode } from 'react';
import { Tip } from './controls';

type Explained = { name: string; text: string; unit?: string };

export const TERMS = {
  // The contract and its market.
  strike: { name: 'strike', text: 'The price at which an option lets its holder buy or sell.' },
  expiration: { name: 'expiration', text: 'The day on which an option ends.' },
  bid: { name: 'bid', text: 'What somebody pays now: you can sell at it.', unit: 'per unit' },
  ask: { name: 'ask', text: 'What somebody sells for now: you can buy at it.', unit: 'per unit' },
  mid: { name: 'mid', text: 'Halfway between bid and ask.', unit: 'per unit' },
  rest: {
    name: 'rest',
    text: 'The side of the market that waits: buying at the bid, selling at the ask.',
  },
  middle: { name: 'middle', text: 'Halfway between rest and cross.' },
  cross: {
    name: 'cross',
    text: 'The side of the market that trades at once: buying at the ask, selling at the bid.',
  },
  last: { name: 'last', text: 'The price of the last trade.', unit: 'per unit' },
  change: { name: 'chg', text: 'Change since the last close.', unit: 'per unit' },
  openInterest: { name: 'OI', text: 'Open interest: contracts that exist, as of last night.' },
  volume: { name: 'vol', text: 'Volume: contracts traded today.' },
  bidSize: { name: 'b size', text: 'Contracts bid for at the bid.' },
  askSize: { name: 'a size', text: 'Contracts offered at the ask.' },
  width: { name: 'width %', text: 'Ask less bid, in percent of the mid: what crossing costs.' },
  theoretical: {
    name: 'theo',
    text: 'What the model says it is worth under the smile of its expiration.',
    unit: 'per unit',
  },
  intrinsic: {
    name: 'intr',
    text: 'Intrinsic value: what exercise would bring now.',
    unit: 'per unit',
  },
  timeValue: { name: 'time', text: 'Time value: price less intrinsic value.', unit: 'per unit' },
  timeValueDay: { name: 'time/d', text: 'Time value for each calendar day left.' },
  chanceIn: { name: 'in %', text: 'Chance of ending in the money, by the model.' },
  chanceTouch: {
    name: 'touch %',
    text: 'Chance that the price reaches the strike before the end, by the model.',
  },
  implied: {
    name: 'IV',
    text: 'Implied volatility: the yearly movement at which the model gives the market’s price.',
    unit: '% a year',
  },
  realisedVolatility: {
    name: 'realised 30 d',
    text: 'How much the price really moved in the last 30 days, as a yearly volatility.',
    unit: '% a year',
  },
  rank: {
    name: 'rank',
    text: 'Where implied volatility stands between its lowest (0) and highest (100) of a year.',
  },
  percentile: {
    name: 'pct',
    text: 'Percentile: days of the last year with a lower implied volatility, in percent.',
  },
  expectedMove: {
    name: 'expected move',
    text: 'One standard deviation of the price by then, from implied volatility: about two times in three it ends within this.',
  },
  sigma: {
    name: 'σ',
    text: 'Standard deviations: one σ is the expected move to that expiration.',
  },
  overRealised: {
    name: 'IV / real.',
    text: 'Implied volatility of 30 days over what the past 30 sessions realised: above 1 more is asked than was moved.',
  },
  nearFar: {
    name: 'near − far',
    text: 'Volatility of the first expiration at least a week ahead less that of one near three months.',
    unit: 'points',
  },
  putCall: {
    name: 'put − call',
    text: 'Implied volatility of the put at delta −0.25 less that of the call at 0.25, near thirty days.',
    unit: 'points',
  },
  pricedMove: {
    name: 'priced, %',
    text: 'Mean size of the move that the expirations around the next earnings or decision price for it.',
    unit: '%',
  },
  realMove: {
    name: 'past, %',
    text: 'Mean size of the moves at its past earnings or decisions, from the close before to the opening after; how many.',
    unit: '%',
  },
  eventPremium: {
    name: 'priced / past',
    text: 'The priced move over the past ones: above 1 it is priced dearer than it has turned out.',
  },
  roundTrip: {
    name: 'in and out',
    text: 'What it costs to go into an at-the-money call vertical one expected move wide, near thirty days, and out again: its market crossed twice, and fees.',
  },
  // Greeks.
  delta: { name: 'Δ', text: 'Delta: money gained when the price rises by 1.00.' },
  gamma: { name: 'Γ', text: 'Gamma: change of delta when the price rises by 1.00.' },
  theta: {
    name: 'θ',
    text: 'Theta: money gained in a calendar day, all else unchanged; of what ends within a day, in what is left of it.',
    unit: 'per day',
  },
  vega: { name: 'vega', text: 'Money gained when implied volatility rises by one point.' },
  rho: { name: 'rho', text: 'Money gained when the interest rate rises by one point.' },
  lean: {
    name: 'lean',
    text: 'The delta of all positions, expressed in shares of the Wexmoor 300 Index (weighted by beta and price).',
  },
  indexGamma: {
    name: 'gamma',
    text: 'Change of the lean when the index rises by one point: gamma × (beta × price / index)².',
  },
  bookVega: {
    name: 'vega',
    text: 'Money for one point of every volatility, added as it is; weighted: each leg by √(30 / days left) and its beta. Rough either way, since volatilities do not move alike.',
  },
  atRisk: {
    name: 'capital at risk',
    text: 'The most that each can lose where that has a limit, otherwise what it ties up.',
  },
  stressLoss: {
    name: 'stress loss',
    text: 'The largest loss among the moves of the range.',
  },
  volAnswer: {
    name: 'volatility',
    text: 'What implied volatility does when prices move. Answers: each falls by so many times what its own name rises, and rises as it falls, both relative. By itself: all move by so many points.',
  },
  considered: {
    name: 'considered',
    text: 'Drafts that are switched in beside what is held: nothing of them is sent.',
  },
  bookMap: {
    name: 'book map',
    text: 'Profit of the whole book over the move of the index and the days ahead.',
  },
  mend: {
    name: 'mend',
    text: 'The least change that brings the book where it should be.',
  },
  earns: { name: 'earns', text: 'What a calendar day is worth, prices unchanged: theta of all.' },
  // A structure and its judgement.
  draft: { name: 'draft', text: 'A structure that is being built: nothing of it is sent.' },
  madeBy: {
    name: 'what made it',
    text: 'The profit from look to look by the Greeks at the first of them: each chapter, each close, now. What they do not explain is named other.',
  },
  madeByDelta: { name: 'price', text: 'Delta times the move of the price.', unit: 'money' },
  madeByGamma: {
    name: 'gamma',
    text: 'Half of gamma times the square of the move.',
    unit: 'money',
  },
  madeByTheta: { name: 'time', text: 'Theta times the days that passed.', unit: 'money' },
  madeByVega: {
    name: 'volatility',
    text: 'Vega times the change of each implied volatility.',
    unit: 'money',
  },
  madeByTrades: {
    name: 'fills',
    text: 'What fills and settlements brought beside the mark of their moment.',
    unit: 'money',
  },
  madeByRate: {
    name: 'interest',
    text: 'Rho times the change of the interest that each leg is priced with.',
    unit: 'money',
  },
  madeByDividends: { name: 'dividends', text: 'Dividends on shares held.', unit: 'money' },
  madeByOther: {
    name: 'other',
    text: 'What price, gamma, time, volatility and interest do not explain together.',
    unit: 'money',
  },
  waysOut: {
    name: 'ways out',
    text: 'What could be done with a campaign: every move over what is listed, alone and two together, judged like a draft; those within your limits, the best by a measure first.',
  },
  rework: {
    name: 'rework',
    text: 'What a campaign holds, changed as a draft beside what it is. Nothing is sent until its ticket is.',
  },
  tray: { name: 'tray', text: 'The drafts at the foot of the page; they stay until thrown away.' },
  outline: {
    name: 'outline',
    text: 'Profit or loss at each price when the first option ends.',
  },
  noCalls: {
    name: 'no calls',
    text: 'The page is too narrow for calls, puts and what stands beside them. Widen it to 1,500 pixels, or choose under “show” the side you want.',
  },
  todayLine: { name: 'today line', text: 'Profit or loss at each price if it moved there now.' },
  ghost: { name: 'before', text: 'The outline as it was before the last change.' },
  entry: { name: 'entry', text: 'The net price that the draft is judged at.' },
  credit: { name: 'cr', text: 'Credit: you receive this when it opens.' },
  debit: { name: 'db', text: 'Debit: you pay this when it opens.' },
  maxProfit: { name: 'max profit', text: 'The most that it can make at its expiration.' },
  maxLoss: { name: 'max loss', text: 'The most that it can lose at its expiration.' },
  breakEven: {
    name: 'break-even',
    text: 'A price at which it ends with neither profit nor loss; B/E for short.',
  },
  chanceOfProfit: {
    name: 'chance of profit',
    text: 'How likely it ends with a profit, by the model of the market’s own volatility.',
  },
  chanceOfFill: {
    name: 'chance of a fill',
    text: 'How likely a limit fills within five minutes as the market moves now, by a model.',
  },
  ofMax: { name: '% of max', text: 'Profit so far, in percent of the most it can make.' },
  onCapital: {
    name: '% of capital',
    text: 'All that the campaign has made, in percent of the capital it ties up now.',
  },
  target: { name: 'target', text: 'A price of your own that the draft is judged at.' },
  // Money.
  accountValue: {
    name: 'account value',
    text: 'Cash and all positions at their marks: what is left if all were closed at the mids.',
  },
  buyingPower: { name: 'buying power', text: 'What can still be put into new positions.' },
  margin: { name: 'margin', text: 'Money that has to stay in the account for a position.' },
  capital: {
    name: 'capital tied up',
    text: 'Money that a position holds back: what was paid, and the margin.',
  },
  today: { name: 'today', text: 'Change of the account value since the last close.' },
  openProfit: { name: 'open profit', text: 'Profit on what is still held, at the mids.' },
  realised: { name: 'realised', text: 'Profit on what has been closed, before fees.' },
  inAll: {
    name: 'in all',
    text: 'Open profit and what was realised, less fees: the whole campaign so far.',
  },
  ofLoss: { name: '% of loss', text: 'Loss so far, in percent of the most it can lose.' },
  netCash: {
    name: 'credit',
    text: 'Cash of the whole campaign before fees: received above zero, paid below.',
  },
  scaledStrip: {
    name: 'range',
    text: 'Where it ends in profit (plain) and in loss (hatched), in expected moves to its first expiration: marks are sold strikes, the dot is the price now, a short line each σ, a triangle where one of your rules rings.',
  },
  nearest: {
    name: 'σ to it',
    text: 'Expected moves from the price to the nearest sold strike or break-even.',
  },
  nextDate: { name: 'next date', text: 'The next earnings or ex-dividend day while it is held.' },
  fees: { name: 'fees', text: 'Commissions and exchange fees paid.' },
  // Finding trades.
  expectation: {
    name: 'expectation',
    text: 'A region of price and a date, and how sure you are that the price ends there.',
  },
  sure: {
    name: 'sure',
    text: 'Your own chance that the price ends in the region.',
    unit: '%',
  },
  marketChance: {
    name: 'market',
    text: 'The chance that option prices give it.',
  },
  farSide: {
    name: 'far',
    text: 'The far side of every leg: dearer than the ticket’s cross, which is a quote of the whole package.',
  },
  ownExpected: {
    name: 'expected',
    text: 'Mean profit on the date by your law, and by the market’s below it.',
    unit: 'a package',
  },
  ownChance: {
    name: 'chance',
    text: 'Chance that the profit on the date is above zero: by your law, and by the market’s below it.',
    unit: '%',
  },
  worstTwentieth: {
    name: 'worst 5 %',
    text: 'Mean profit over the worst twentieth of your law.',
    unit: 'a package',
  },
  marketWide: {
    name: 'market',
    text: 'The markets of all legs together, in percent of the capital that the package ties up.',
    unit: '%',
  },
  reach: {
    name: 'reach',
    text: 'How far a strike may lie from the forward of its expiration, in deviations.',
    unit: 'σ',
  },
  everyStrike: {
    name: 'strikes',
    text: 'At most so many of an expiration, every second or fourth of those listed. Empty: all.',
  },
  place: {
    name: 'place',
    text: 'The part of the priced law below the move that came: 50 is its middle.',
    unit: '%',
  },
  pricedDeviation: {
    name: 'priced σ',
    text: 'One deviation that was priced from look to look, the days between among it.',
    unit: '%',
  },
  squares: {
    name: 'squares',
    text: 'Mean square of past moves in priced deviations: 1 where they came as priced, less where they were priced dear.',
  },
  // Orders.
  limit: { name: 'limit', text: 'The worst net price that an order accepts.' },
  average: { name: 'average', text: 'Average net price of what is filled.' },
  market: { name: 'market', text: 'Rest and cross of the whole package now.' },
  distance: { name: 'away', text: 'How far the middle is from the limit.', unit: 'per package' },
  timeInForce: { name: 'time in force', text: 'How long an order stays.' },
  campaign: {
    name: 'campaign',
    text: 'All that belongs to one position from its opening to its last close: rolls, adjustments, assignments.',
  },
  roll: { name: 'roll', text: 'Close legs and open others in one order.' },
  bell: { name: 'bell', text: 'Rings when a price, a profit or an event is reached.' },
  reconciled: { name: 'reconciled', text: 'The ledger’s postings add up to the cash there is.' },
} as const satisfies Record<string, Explained>;
export type TermKey = keyof typeof TERMS;
export const termOf = (key: TermKey): Explained => TERMS[key];

/** A word that explains itself when the pointer or the focus is on it. */
export function Term({
  of,
  quiet = false,
  children,
}: {
  of: TermKey;
  /** Passed over by Tab: the same word stands beside it. */
  quiet?: boolean;
  children?: ReactNode;
}) {
  const t = termOf(of);
  return (
    <Tip text={t.unit ? `${t.text} (${t.unit})` : t.text}>
      <span tabIndex={quiet ? -1 : 0} className="cursor-help rounded-sm" data-term={of}>
        {children ?? t.name}
      </span>
    </Tip>
  );
}
