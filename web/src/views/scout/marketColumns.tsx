import { scaleLinear } from 'd3-scale';
import { line } from 'd3-shape';
import { Link } from 'react-router';
import type { ScoutRow } from '../../api/client';
import { count, dayMonth, fixed } from '../../format';
import { cents, money } from '../../money';
import type { Column } from '../../ui/DataTable';
import { Term } from '../../ui/terms';
import type { Question } from './wanted';

/** The closes of a month as a small line. */
function Month({ closes }: { closes: number[] }) {
  const x = scaleLinear([0, Math.max(1, closes.length - 1)], [1, 49]);
  const y = scaleLinear([Math.min(...closes), Math.max(...closes)], [15, 2]);
  const path =
    line<number>()
      .x((_, i) => x(i))
      .y((v) => y(v))(closes) ?? '';
  return (
    <svg aria-hidden width={50} height={17} className="inline-block">
      <path d={path} fill="none" stroke="var(--slate)" strokeWidth={1.25} />
    </svg>
  );
}

/** What columns are called where there is no head to explain itself: on a card, in the list of columns. */
const NAMES: Record<string, string> = {
  month: 'month',
  news: 'next news, sessions',
  implied: 'IV 30 d',
  rank: 'rank',
  percentile: 'percentile',
  realised: 'realised',
  over: 'IV / realised',
  nearFar: 'near − far',
  putCall: 'put − call',
  priced: 'priced move, %',
  real: 'past moves, %',
  premium: 'priced / past',
  trip: 'in and out',
  oi: 'open interest',
  volume: 'volume',
};
export const nameOf = (c: Column<ScoutRow>) =>
  NAMES[c.key] ?? (typeof c.head === 'string' ? c.head : c.key);

const number = (
  key: string,
  head: React.ReactNode,
  of: (r: ScoutRow) => number | null | undefined,
  decimals: number,
  plus = false,
): Column<ScoutRow> => ({ key, head, by: of, cell: (r) => fixed(of(r), decimals, plus) });

/** The symbol, and why its row is as it is. */
export const symbolColumn = (
  opened: string | undefined,
  open: (symbol: string | undefined) => void,
): Column<ScoutRow> => ({
  key: 'symbol',
  head: 'symbol',
  left: true,
  by: (r) => r.symbol,
  cell: (r) => (
    <span className="whitespace-nowrap">
      <button
        type="button"
        aria-expanded={opened === r.symbol}
        aria-label={`why ${r.symbol}`}
        className="-ml-1 px-1 text-ink2 hover:text-brass"
        onClick={() => {
          open(opened === r.symbol ? undefined : r.symbol);
        }}
      >
        {opened === r.symbol ? '▾' : '▸'}
      </button>
      <Link to={`/chain/${r.symbol}`} title={r.name} className="hover:text-brass">
        <b>{r.symbol}</b>
        {r.held > 0 && (
          <>
            <span aria-hidden className="text-brass">
              {' '}
              ●
            </span>
            <span className="sr-only"> held</span>
          </>
        )}
      </Link>
    </span>
  ),
});
export const FIRST: Column<ScoutRow>[] = [
  { key: 'price', head: 'price', by: (r) => r.level, cell: (r) => money(r.price) },
  {
    key: 'change',
    head: 'change, %',
    by: (r) => r.change,
    cell: (r) => (
      <span className={(r.change ?? 0) < 0 ? 'text-loss' : 'text-gain'}>
        {fixed(r.change, 2, true)}
      </span>
    ),
  },
  {
    key: 'month',
    head: 'month',
    // By its change.
    by: (r) => (r.month.at(-1) ?? 0) / (r.month[0] ?? 1),
    cell: (r) => <Month closes={r.month} />,
  },
];
type Limits = { symbol: number | null | undefined; sector: number | null | undefined };
/** Capital at risk in percent of the account, beside what my rule allows. */
function Risk({ of, limit }: { of: number | null | undefined; limit: number | null | undefined }) {
  if (of == null || (of === 0 && limit == null)) return null;
  return (
    <span className={`whitespace-nowrap ${limit != null && of > limit ? 'text-loss' : ''}`}>
      {fixed(of, 1)}
      {limit != null && <span className="text-ink2"> of {fixed(limit, 1)}</span>}
    </span>
  );
}

export const setsOf = (limits: Limits): Record<Question, Column<ScoutRow>[]> => ({
  dear: [
    number('implied', <Term of="implied">IV 30 d</Term>, (r) => r.implied, 1),
    number('rank', <Term of="rank" />, (r) => r.rank, 0),
    number('percentile', <Term of="percentile" />, (r) => r.percentile, 0),
    number('realised', <Term of="realisedVolatility">realised</Term>, (r) => r.realised, 1),
    number('over', <Term of="overRealised" />, (r) => r.overRealised, 2),
    number('nearFar', <Term of="nearFar" />, (r) => r.nearFar, 1, true),
    number('putCall', <Term of="putCall" />, (r) => r.putCall, 1, true),
  ],
  comes: [
    {
      key: 'news',
      head: <span title="its date, and the sessions to it">next news</span>,
      left: true,
      by: (r) => r.news?.sessions,
      cell: (r) =>
        r.news && (
          <span
            title={`${r.news.what}, in ${r.news.sessions} ${r.news.sessions === 1 ? 'session' : 'sessions'}`}
            className="whitespace-nowrap"
          >
            {dayMonth(r.news.date)}, {r.news.sessions}
          </span>
        ),
    },
    number('priced', <Term of="pricedMove" />, (r) => r.news?.priced, 1),
    {
      key: 'real',
      head: <Term of="realMove" />,
      by: (r) => r.news?.real,
      cell: (r) =>
        r.news?.real != null && (
          <>
            {fixed(r.news.real, 1)} <span className="text-ink2">of {r.news.past}</span>
          </>
        ),
    },
    number('premium', <Term of="eventPremium" />, (r) => r.news?.premium, 2),
  ],
  cost: [
    {
      key: 'trip',
      head: <Term of="roundTrip" />,
      by: (r) => (r.roundTrip == null ? undefined : Number(r.roundTrip)),
      cell: (r) => cents(r.roundTrip),
    },
    number('ofWidth', '% of width', (r) => r.ofWidth, 1),
    {
      key: 'oi',
      head: <Term of="openInterest" />,
      by: (r) => r.openInterest,
      cell: (r) => count(r.openInterest),
    },
    {
      key: 'volume',
      head: <Term of="volume" />,
      by: (r) => r.volume,
      cell: (r) => count(r.volume),
    },
  ],
  book: [
    number('beta', 'beta', (r) => r.beta, 2, true),
    { key: 'sector', head: 'sector', left: true, by: (r) => r.sector, cell: (r) => r.sector ?? '' },
    {
      key: 'held',
      head: 'held',
      by: (r) => r.held,
      cell: (r) => (r.held === 0 ? '' : r.held),
    },
    {
      key: 'risk',
      head: 'at risk, %',
      by: (r) => r.risk,
      cell: (r) => <Risk of={r.risk} limit={limits.symbol} />,
    },
    {
      key: 'sectorRisk',
      head: 'its sector, %',
      by: (r) => r.sectorRisk,
      cell: (r) => <Risk of={r.sectorRisk} limit={limits.sector} />,
    },
  ],
});
