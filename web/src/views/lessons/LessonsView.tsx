import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import { BASE, fileOf } from '../../api/base';
import type { LearntPart, Lessons } from '../../api/client';
import { count, fixed, longDate, percent } from '../../format';
import { money, tone } from '../../money';
import { Asked } from '../../ui/Asked';
import { DataTable, type Column } from '../../ui/DataTable';
import { SelectField } from '../../ui/fields';
import { useMeasured } from '../../ui/measured';
import { Page, Scroll } from '../../ui/Page';
import { Curves } from '../rehearsal/Curves';
import { lessonsQuery } from './queries';
import { Roads } from './Roads';

type By = Lessons['divisions'][number]['by'];
const NAMES: Record<By, string> = {
  structure: 'structure',
  symbol: 'symbol',
  sector: 'sector',
  tag: 'tag',
  drill: 'drill',
  rule: 'rule that rang as it was closed',
  daysLeft: 'days to expiration at the opening',
  rank: 'volatility rank at the opening',
  held: 'days held',
  size: 'at risk at the opening',
  weekday: 'weekday of the opening',
};

/** A bar from zero: hatched where it is a loss. */
function Bar({ value, most }: { value: number; most: number }) {
  const wide = most > 0 ? (Math.abs(value) / most) * 60 : 0;
  return (
    <svg aria-hidden width={124} height={12} className="inline-block align-middle">
      <line x1={62} x2={62} y1={0} y2={12} stroke="var(--strong)" />
      <rect
        x={value < 0 ? 62 - wide : 62}
        width={wide}
        y={2}
        height={8}
        fill={value < 0 ? 'none' : 'var(--gain)'}
        stroke={value < 0 ? 'var(--loss)' : 'var(--gain)'}
        strokeDasharray={value < 0 ? '2 2' : undefined}
      />
    </svg>
  );
}

function PartTable({
  parts,
  label,
  chosen,
  onChoose,
}: {
  parts: LearntPart[];
  label: string;
  chosen: number[] | undefined;
  onChoose: (part: LearntPart) => void;
}) {
  const most = Math.max(0, ...parts.map((p) => Math.abs(p.summary.mean ?? 0)));
  const columns: Column<LearntPart>[] = [
    {
      key: 'part',
      head: label,
      left: true,
      cell: (p) => (
        <button
          type="button"
          aria-pressed={chosen === p.campaigns}
          className="text-left text-brass underline aria-pressed:font-semibold"
          onClick={() => {
            onChoose(p);
          }}
        >
          {p.part}
        </button>
      ),
    },
    {
      key: 'count',
      head: 'number',
      by: (p) => p.summary.count,
      cell: (p) => count(p.summary.count),
    },
    {
      key: 'won',
      head: 'winners %',
      by: (p) => p.summary.share,
      cell: (p) => (
        <>
          {percent(p.summary.share, 0)}{' '}
          <span className="text-ink2">
            ({percent(p.summary.shareLow, 0)} to {percent(p.summary.shareHigh, 0)})
          </span>
        </>
      ),
    },
    { key: 'win', head: 'mean win', cell: (p) => fixed(p.summary.meanWin, 2, true) },
    { key: 'loss', head: 'mean loss', cell: (p) => fixed(p.summary.meanLoss, 2, true) },
    {
      key: 'mean',
      head: 'expectancy',
      by: (p) => p.summary.mean,
      cell: (p) => (
        <span className="whitespace-nowrap">
          <Bar value={p.summary.mean ?? 0} most={most} /> {fixed(p.summary.mean, 2, true)}
        </span>
      ),
    },
    {
      key: 'day',
      head: 'a day',
      by: (p) => p.summary.aDay,
      cell: (p) => fixed(p.summary.aDay, 2, true),
    },
    {
      key: 'capital',
      head: '% of capital a day',
      by: (p) => p.summary.aDayOfCapital,
      cell: (p) => fixed(p.summary.aDayOfCapital, 3, true),
    },
    { key: 'worst', head: 'worst', cell: (p) => money(p.summary.worst, true) },
    { key: 'row', head: 'losses in a row', cell: (p) => count(p.summary.lossesInARow) },
    {
      key: 'taken',
      head: 'of the best taken %',
      by: (p) => p.taken,
      cell: (p) => percent(p.taken, 0),
    },
    {
      key: 'sum',
      head: 'sum',
      by: (p) => Number(p.summary.sum),
      cell: (p) => <span className={tone(p.summary.sum)}>{money(p.summary.sum, true)}</span>,
    },
  ];
  return (
    <DataTable label={`Lessons by ${label}`} rows={parts} columns={columns} id={(p) => p.part} />
  );
}

/** What was made up to each day on which something was closed, from nothing at the first opening. */
export function addedUp(
  campaigns: Pick<Lessons['campaigns'][number], 'opened' | 'closed' | 'profit'>[],
) {
  const days = new Map<string, number>();
  const first = campaigns.map((c) => c.opened.slice(0, 10)).sort()[0];
  if (first !== undefined) days.set(first, 0);
  let sum = 0;
  for (const c of campaigns.toSorted((a, b) => a.closed.localeCompare(b.closed))) {
    sum += Number(c.profit);
    days.set(c.closed.slice(0, 10), sum);
  }
  return [...days].map(([at, value]) => ({ at, value }));
}

function CampaignTable({ rows }: { rows: Lessons['campaigns'] }) {
  type Row = Lessons['campaigns'][number];
  const columns: Column<Row>[] = [
    {
      key: 'campaign',
      head: 'campaign',
      left: true,
      by: (c) => c.symbol,
      cell: (c) => (
        <Link to={`/campaign/${c.campaign}`} className="text-brass underline">
          {c.symbol} {c.title}
        </Link>
      ),
    },
    {
      key: 'opened',
      head: 'opened',
      by: (c) => c.opened,
      cell: (c) => longDate(c.opened.slice(0, 10)),
    },
    {
      key: 'closed',
      head: 'closed',
      by: (c) => c.closed,
      cell: (c) => longDate(c.closed.slice(0, 10)),
    },
    { key: 'days', head: 'days', by: (c) => c.days, cell: (c) => c.days },
    {
      key: 'profit',
      head: 'profit',
      by: (c) => Number(c.profit),
      cell: (c) => <span className={tone(c.profit)}>{money(c.profit, true)}</span>,
    },
    { key: 'best', head: 'best on the way', cell: (c) => money(c.best, true) },
    { key: 'worst', head: 'worst on the way', cell: (c) => money(c.worst, true) },
    {
      key: 'capital',
      head: 'at risk',
      by: (c) => Number(c.capital),
      cell: (c) => money(c.capital),
    },
    { key: 'rank', head: 'rank', by: (c) => c.rank, cell: (c) => fixed(c.rank, 0) },
    {
      key: 'after',
      head: 'afterwards',
      left: true,
      cell: (c) => <span className="font-serif italic">{c.after}</span>,
    },
  ];
  return (
    <DataTable
      label="Closed campaigns"
      rows={rows}
      columns={columns}
      id={(c) => c.campaign}
      usual={{ key: 'closed', down: true }}
    />
  );
}

function Told({ lessons: l }: { lessons: Lessons }) {
  const [by, setBy] = useState<By>('structure');
  const [part, setPart] = useState<LearntPart>();
  const [measure, width] = useMeasured();
  const division = l.divisions.find((d) => d.by === by) ?? l.divisions[0];
  const shown = part ? l.campaigns.filter((c) => part.campaigns.includes(c.campaign)) : l.campaigns;
  const running = addedUp(l.campaigns);
  return (
    <div ref={measure} className="flex flex-col gap-2">
      <p className="max-w-[80ch] font-serif text-[17px] leading-6">
        {count(l.campaigns.length)} closed campaigns made{' '}
        <b className={tone(l.all.summary.sum)}>{money(l.all.summary.sum, true)}</b>,{' '}
        {fixed(l.all.summary.mean, 2, true)} each on average. {l.sentence}
        {l.few && ' They are few: the intervals tell how little they say.'}
      </p>
      <Curves
        label="Profit of closed campaigns, added up"
        width={Math.max(320, width)}
        curves={[{ name: '', points: running }]}
        steps
      />
      <div className="flex flex-wrap items-center gap-2">
        <h2 className="font-serif text-[18px]">By</h2>
        <SelectField
          label="divided by"
          value={division?.by ?? by}
          choices={l.divisions.map((d) => ({ value: d.by, name: NAMES[d.by] }))}
          onChange={(next) => {
            setBy(next);
            setPart(undefined);
          }}
        />
      </div>
      {division && (
        <PartTable
          parts={[...division.parts, l.all]}
          label={NAMES[division.by]}
          chosen={part?.campaigns}
          onChoose={setPart}
        />
      )}
      <section aria-label="Campaigns" className="pt-3">
        <h2 className="font-serif text-[18px]">
          {part ? `Campaigns: ${part.part}` : 'All closed campaigns'}
        </h2>
        <Scroll label="Closed campaigns" className="max-h-80">
          <CampaignTable rows={shown} />
        </Scroll>
      </section>
      <Roads campaigns={l.campaigns} />
    </div>
  );
}

/** What my own closed trades say. */
export function LessonsView() {
  const lessons = useQuery(lessonsQuery);
  return (
    <Page
      title="Lessons"
      beside={
        <>
          <a
            className="text-brass underline"
            href={`${BASE}/api/lessons.csv`}
            download={fileOf('lessons.csv')}
          >
            as CSV
          </a>
          <a
            className="text-brass underline"
            href={`${BASE}/api/lessons.html`}
            download={fileOf('lessons.html')}
          >
            as a page
          </a>
        </>
      }
    >
      <Asked query={lessons} what="lessons">
        {(l) =>
          l.campaigns.length === 0 ? (
            <p className="max-w-[60ch] py-4 text-ink2">
              What your closed campaigns say will stand here: by structure, symbol, days and size,
              and what your own rules would have made of them. None is closed yet.
            </p>
          ) : (
            <Told lessons={l} />
          )
        }
      </Asked>
    </Page>
  );
}
