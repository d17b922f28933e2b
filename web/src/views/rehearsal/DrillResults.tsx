import type { Cycle, Played, Summary } from '../../api/client';
import { count, fixed, longWhen, percent } from '../../format';
import { money, tone } from '../../money';
import { DataTable, type Column } from '../../ui/DataTable';
import { Scroll } from '../../ui/Page';

const signed = (n: number | null | undefined) => fixed(n, 2, true);
const shade = (n: number | null | undefined) =>
  n == null ? '' : n < 0 ? 'text-loss' : 'text-gain';

/** The figures of many results, with their names. */
function figuresOf(s: Summary): [string, string, string][] {
  const range = (
    low: number | null | undefined,
    high: number | null | undefined,
    d: number,
    sign: boolean,
  ) =>
    low == null || high == null ? '' : `95 %: ${fixed(low, d, sign)} to ${fixed(high, d, sign)}`;
  return [
    ['cycles', count(s.count), ''],
    ['sum', money(s.sum, true), ''],
    ['mean', signed(s.mean), range(s.meanLow, s.meanHigh, 0, true)],
    ['median', signed(s.median), ''],
    ['spread', fixed(s.spread, 2), 'standard deviation'],
    ['worst', money(s.worst, true), ''],
    [
      'winners',
      `${percent(s.share, 0)} %`,
      range(
        s.shareLow == null ? null : 100 * s.shareLow,
        s.shareHigh == null ? null : 100 * s.shareHigh,
        0,
        false,
      ),
    ],
    ['profit a day', signed(s.aDay), 'in a trade'],
    ['losses in a row', count(s.lossesInARow), ''],
  ];
}

function Summing({ played }: { played: Played }) {
  return (
    <dl className="grid grid-cols-[repeat(auto-fit,minmax(120px,1fr))] gap-x-4 gap-y-1">
      {figuresOf(played.all).map(([name, value, more]) => (
        <div key={name}>
          <dt className="text-[12px] text-ink2">{name}</dt>
          <dd className="font-semibold tabular-nums">
            {value} <span className="text-[12px] font-normal text-ink2">{more}</span>
          </dd>
        </div>
      ))}
      <div>
        <dt className="text-[12px] text-ink2">drawdown</dt>
        <dd className="font-semibold tabular-nums">{money(played.drawdown)}</dd>
      </div>
      <div>
        <dt className="text-[12px] text-ink2">underlying held instead</dt>
        <dd className="font-semibold tabular-nums">{money(played.held, true)}</dd>
      </div>
    </dl>
  );
}

/** Why a cycle was left, as the batch writes it, told; the rest is told already. */
const whyText = (why: string) =>
  ({ to: 'end of the span', end: 'its end', until: 'next expiration' })[why] ?? why;

const NAMES = { rank: 'volatility rank at entry', direction: 'the underlying', why: 'left by' };

function Divisions({ played, onCycle }: { played: Played; onCycle: (n: number) => void }) {
  const rows = played.parts.flatMap((d) => d.parts.map((p) => ({ by: d.by, ...p })));
  type Row = (typeof rows)[number];
  const columns: Column<Row>[] = [
    { key: 'by', head: 'divided by', left: true, cell: (r) => NAMES[r.by] },
    { key: 'part', head: 'part', left: true, cell: (r) => whyText(r.part) },
    { key: 'count', head: 'cycles', cell: (r) => count(r.summary.count) },
    { key: 'won', head: 'winners %', cell: (r) => percent(r.summary.share, 0) },
    {
      key: 'mean',
      head: 'mean',
      cell: (r) => <span className={shade(r.summary.mean)}>{signed(r.summary.mean)}</span>,
    },
    {
      key: 'sum',
      head: 'sum',
      cell: (r) => <span className={tone(r.summary.sum)}>{money(r.summary.sum, true)}</span>,
    },
    {
      key: 'which',
      head: 'which',
      left: true,
      cell: (r) => (
        <span className="flex flex-wrap gap-1">
          {r.cycles.map((n) => (
            <button
              key={n}
              type="button"
              className="text-brass underline"
              aria-label={`show cycle ${n}`}
              onClick={() => {
                onCycle(n);
              }}
            >
              {n}
            </button>
          ))}
        </span>
      ),
    },
  ];
  return (
    <DataTable
      label="Cycles by division"
      rows={rows}
      columns={columns}
      id={(r) => `${r.by} ${r.part}`}
    />
  );
}

function Cycles({
  cycles,
  shown,
  onCycle,
}: {
  cycles: Cycle[];
  shown: number;
  onCycle: (n: number) => void;
}) {
  const columns: Column<Cycle>[] = [
    {
      key: 'number',
      head: 'cycle',
      by: (c) => c.number,
      cell: (c) =>
        c.number == null ? (
          ''
        ) : (
          <button
            type="button"
            aria-pressed={c.number === shown}
            className="text-brass underline aria-pressed:font-semibold"
            onClick={() => {
              if (c.number != null) onCycle(c.number);
            }}
          >
            {c.number}
          </button>
        ),
    },
    {
      key: 'entered',
      head: 'entered',
      by: (c) => c.entered,
      cell: (c) => longWhen(c.entered),
    },
    {
      key: 'left',
      head: 'left',
      by: (c) => c.done?.left,
      cell: (c) => (c.done ? longWhen(c.done.left) : ''),
    },
    {
      key: 'why',
      head: 'why',
      left: true,
      by: (c) => c.why,
      cell: (c) => (
        <span className="whitespace-nowrap">
          {c.times > 1 ? `${whyText(c.why)}, ${c.times} in a row` : whyText(c.why)}
        </span>
      ),
    },
    { key: 'days', head: 'days', by: (c) => c.done?.days, cell: (c) => c.done?.days ?? '' },
    {
      key: 'strikes',
      head: 'strikes',
      left: true,
      cell: (c) => <span className="whitespace-nowrap">{c.done?.strikes ?? ''}</span>,
    },
    {
      key: 'adjustments',
      head: 'adj.',
      by: (c) => c.done?.adjustments,
      cell: (c) => c.done?.adjustments ?? '',
    },
    {
      key: 'profit',
      head: 'profit',
      by: (c) => (c.done ? Number(c.done.profit) : null),
      cell: (c) => <span className={tone(c.done?.profit)}>{money(c.done?.profit, true)}</span>,
    },
    {
      key: 'return',
      head: 'of stake %',
      by: (c) => c.done?.returnPercent,
      cell: (c) => fixed(c.done?.returnPercent, 1, true),
    },
    {
      key: 'net',
      head: 'before fees',
      cell: (c) => money(c.done?.net, true),
    },
    { key: 'fees', head: 'fees', cell: (c) => money(c.done?.fees) },
    {
      key: 'best',
      head: 'best',
      by: (c) => (c.done ? Number(c.done.best) : null),
      cell: (c) => money(c.done?.best, true),
    },
    {
      key: 'worst',
      head: 'worst',
      by: (c) => (c.done ? Number(c.done.worst) : null),
      cell: (c) => money(c.done?.worst, true),
    },
    { key: 'margin', head: 'most margin', cell: (c) => money(c.done?.mostMargin) },
    { key: 'rank', head: 'rank', by: (c) => c.done?.rank, cell: (c) => fixed(c.done?.rank, 0) },
  ];
  return (
    <DataTable
      label="Cycles"
      rows={cycles}
      columns={columns}
      id={(c) => `${c.entered} ${c.expiration}`}
    />
  );
}

/** What a drill came to: all together, by division, cycle by cycle. */
export function DrillResults({
  played,
  cycle,
  onCycle,
}: {
  played: Played;
  cycle: number;
  onCycle: (n: number) => void;
}) {
  const few = played.all.count > 0 && played.all.count < 12;
  return (
    <section aria-label="What it came to" className="flex flex-col gap-2 pt-2">
      <h2 className="font-serif text-[16px]">What it came to</h2>
      <Summing played={played} />
      {few && (
        <p className="text-ink2">
          {count(played.all.count)} cycles are few: the intervals tell how little they say.
        </p>
      )}
      <Scroll label="Cycles" className="max-h-[420px]">
        <Cycles cycles={played.cycles} shown={cycle} onCycle={onCycle} />
      </Scroll>
      <Divisions played={played} onCycle={onCycle} />
    </section>
  );
}
