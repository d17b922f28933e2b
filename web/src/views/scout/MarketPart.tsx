import { useQuery } from '@tanstack/react-query';
import { scaleLinear } from 'd3-scale';
import { line } from 'd3-shape';
import { Popover } from 'radix-ui';
import { useState } from 'react';
import { Link } from 'react-router';
import type { ScoutRow } from '../../api/client';
import { scoutMarketQuery } from '../../api/queries';
import { count, dayMonth, fixed, shortWhen } from '../../format';
import { cents, money } from '../../money';
import { Asked } from '../../ui/Asked';
import { Button } from '../../ui/controls';
import { DataTable, type Column } from '../../ui/DataTable';
import { Term } from '../../ui/terms';
import {
  FIGURES,
  fits,
  QUESTIONS,
  told,
  useWanted,
  withRange,
  type Figure,
  type Question,
} from './wanted';
import { Why } from './Why';

const ASKS: Record<Question, string> = {
  dear: 'is it dear?',
  comes: 'what comes?',
  cost: 'what does trading it cost?',
  book: 'what does it add to my book?',
};

/** The closes of a month as a small line. */
function Month({ closes }: { closes: number[] }) {
  const x = scaleLinear([0, Math.max(1, closes.length - 1)], [1, 59]);
  const y = scaleLinear([Math.min(...closes), Math.max(...closes)], [15, 2]);
  const path =
    line<number>()
      .x((_, i) => x(i))
      .y((v) => y(v))(closes) ?? '';
  return (
    <svg aria-hidden width={60} height={17} className="inline-block">
      <path d={path} fill="none" stroke="var(--slate)" strokeWidth={1.25} />
    </svg>
  );
}

const number = (
  key: string,
  head: React.ReactNode,
  of: (r: ScoutRow) => number | null | undefined,
  decimals: number,
  plus = false,
): Column<ScoutRow> => ({ key, head, by: of, cell: (r) => fixed(of(r), decimals, plus) });

/** The symbol, and why its row is as it is. */
const symbolColumn = (
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
const FIRST: Column<ScoutRow>[] = [
  { key: 'price', head: 'price', cell: (r) => money(r.price) },
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
  { key: 'month', head: 'month', cell: (r) => <Month closes={r.month} /> },
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

const setsOf = (limits: Limits): Record<Question, Column<ScoutRow>[]> => ({
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
      head: 'next news',
      left: true,
      by: (r) => r.news?.sessions,
      cell: (r) =>
        r.news && (
          <span title={r.news.what} className="whitespace-nowrap">
            {dayMonth(r.news.date)}, {r.news.sessions} s
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

/** A range on one figure. */
function AddRange() {
  const [figure, setFigure] = useState<Figure>('rank');
  const [from, setFrom] = useState('');
  const [to, setTo] = useState('');
  const read = (text: string) => {
    const n = Number(text.trim().replace('−', '-'));
    return text.trim() === '' || !Number.isFinite(n) ? undefined : n;
  };
  const [a, b] = [read(from), read(to)];
  const field = 'num h-6 w-16 rounded border border-strong bg-raised px-1';
  return (
    <form
      className="flex items-center gap-1.5 text-ink2"
      onSubmit={(e) => {
        e.preventDefault();
        if (a === undefined && b === undefined) return;
        useWanted.setState((w) => ({ ranges: withRange(w.ranges, { figure, from: a, to: b }) }));
        setFrom('');
        setTo('');
      }}
    >
      only where
      <select
        aria-label="Figure"
        value={figure}
        onChange={(e) => {
          setFigure(e.target.value as Figure);
        }}
        className="h-6 rounded border border-strong bg-raised px-1 text-ink"
      >
        {Object.entries(FIGURES).map(([key, f]) => (
          <option key={key} value={key}>
            {f.name}
          </option>
        ))}
      </select>
      from
      <input
        aria-label="At least"
        inputMode="decimal"
        value={from}
        onChange={(e) => {
          setFrom(e.target.value);
        }}
        className={field}
      />
      to
      <input
        aria-label="At most"
        inputMode="decimal"
        value={to}
        onChange={(e) => {
          setTo(e.target.value);
        }}
        className={field}
      />
      <Button type="submit" disabled={a === undefined && b === undefined}>
        filter
      </Button>
    </form>
  );
}

/** Filters kept under names. */
function Named() {
  const { named, ranges } = useWanted();
  const [name, setName] = useState('');
  const all = Object.entries(named);
  return (
    <Popover.Root>
      <Popover.Trigger asChild>
        <Button weight="quiet">kept filters ▾</Button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="end"
          sideOffset={4}
          collisionPadding={8}
          aria-label="Kept filters"
          className="z-40 flex w-72 flex-col gap-2 rounded border border-strong bg-raised p-3 shadow-[var(--shadow)]"
        >
          {all.length === 0 && (
            <p className="text-ink2">Filters that you name stand here, on this machine.</p>
          )}
          {all.map(([key, kept]) => (
            <div key={key} className="flex items-center gap-2">
              <Button
                weight="quiet"
                className="grow !justify-start"
                onClick={() => {
                  useWanted.setState({ ranges: kept });
                }}
              >
                {key}
              </Button>
              <button
                type="button"
                aria-label={`throw away ${key}`}
                className="px-1 text-ink2 hover:text-loss"
                onClick={() => {
                  useWanted.setState({
                    named: Object.fromEntries(all.filter(([k]) => k !== key)),
                  });
                }}
              >
                ×
              </button>
            </div>
          ))}
          <form
            className="flex items-center gap-2 border-t border-hair pt-2"
            onSubmit={(e) => {
              e.preventDefault();
              useWanted.setState({ named: { ...named, [name.trim()]: ranges } });
              setName('');
            }}
          >
            <input
              aria-label="Name of the filter"
              placeholder="a name"
              maxLength={40}
              value={name}
              onChange={(e) => {
                setName(e.target.value);
              }}
              className="h-6 min-w-0 grow rounded border border-strong bg-ground px-2"
            />
            <Button type="submit" disabled={name.trim() === '' || ranges.length === 0}>
              keep
            </Button>
          </form>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

/** Every underlying in one row, its columns in four questions: sorted by any, filtered by ranges on any; a row opens on why. */
export function MarketPart() {
  const table = useQuery(scoutMarketQuery);
  const { questions, ranges } = useWanted();
  const [opened, open] = useState<string>();
  const sets = setsOf({ symbol: table.data?.symbolLimit, sector: table.data?.sectorLimit });
  const columns = [
    symbolColumn(opened, open),
    ...FIRST,
    ...QUESTIONS.filter((q) => questions.includes(q)).flatMap((q) => sets[q]),
  ];
  return (
    <>
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1.5 pt-1 pb-2">
        <span role="group" aria-label="Questions" className="flex flex-wrap gap-1">
          {QUESTIONS.map((q) => (
            <Button
              key={q}
              aria-pressed={questions.includes(q)}
              className={questions.includes(q) ? '!border-brass !bg-brass-soft text-brass' : ''}
              onClick={() => {
                useWanted.setState({
                  questions: questions.includes(q)
                    ? questions.filter((x) => x !== q)
                    : [...questions, q],
                });
              }}
            >
              {ASKS[q]}
            </Button>
          ))}
        </span>
        <AddRange />
        {ranges.map((r) => (
          <Button
            key={r.figure}
            title="Without this filter"
            onClick={() => {
              useWanted.setState({ ranges: ranges.filter((x) => x !== r) });
            }}
          >
            {told(r)} ×
          </Button>
        ))}
        <span className="ml-auto flex items-center gap-2">
          <Named />
          <a href="/api/scout/market.csv" className="text-brass underline">
            CSV
          </a>
        </span>
      </div>
      <Asked query={table} what="market">
        {(t) => {
          const rows = t.rows.filter((r) => fits(r, ranges));
          return (
            <>
              {rows.length === 0 ? (
                <p className="text-ink2">No row lies in every range. Take one of them away.</p>
              ) : (
                <DataTable
                  label="The market"
                  rows={rows}
                  columns={columns}
                  id={(r) => r.symbol}
                  usual={{ key: 'over', down: true }}
                  under={(r) => opened === r.symbol && <Why row={r} />}
                />
              )}
              <p className="pt-1.5 text-[12px] text-ink2">
                As of {shortWhen(t.at)}; {rows.length} of {t.rows.length}. Volatilities in percent a
                year, differences in points; ● is held. In and out: the market of a call vertical
                from the price to one expected move higher crossed twice, near thirty days, with
                fees.
              </p>
            </>
          );
        }}
      </Asked>
    </>
  );
}
