import { Link } from 'react-router';
import type { Quiet } from '../../api/client';
import { RangeStrip } from '../../chart/glyph';
import { cents, tone } from '../../money';
import { DataTable, type Column } from '../../ui/DataTable';

const COLUMNS: Column<Quiet>[] = [
  {
    key: 'campaign',
    head: 'campaign',
    left: true,
    by: (q) => q.position?.symbol,
    cell: (q) => (
      <span data-whole>
        <Link to={`/campaign/${q.campaign}`} className="underline-offset-2 hover:underline">
          <b>{q.position?.symbol}</b> {q.position?.title}
        </Link>
        {q.changed !== '' && <span className="block text-brass">{q.changed}</span>}
      </span>
    ),
  },
  {
    key: 'range',
    head: 'range, ±3 σ',
    left: true,
    by: (q) => q.position?.nearest,
    cell: (q) =>
      q.position?.scaled && (
        <RangeStrip strip={q.position.scaled} id={`quiet-${q.campaign}`} width={110} bare />
      ),
  },
  {
    key: 'total',
    head: 'in all',
    by: (q) => Number(q.position?.total),
    cell: (q) => <span className={tone(q.position?.total)}>{cents(q.position?.total, true)}</span>,
  },
  {
    key: 'days',
    head: 'days',
    by: (q) => q.position?.days,
    cell: (q) => q.position?.days,
  },
  {
    key: 'next',
    head: 'what is next',
    left: true,
    by: (q) => -q.nearness,
    cell: (q) => (
      <>
        {q.next === '' ? <span className="text-ink2">nothing is ahead</span> : q.next}
        {q.letBe && <span className="block text-[12px] text-ink2">{q.letBe}</span>}
      </>
    ),
  },
];

/** Those that do not ask, the nearest to asking first. */
export function QuietList({ quiet }: { quiet: Quiet[] }) {
  return (
    <section aria-label="The others" className="pt-4">
      <h2 className="pb-1 font-semibold">
        {quiet.length === 1 ? 'One other' : `${quiet.length} others`}, the nearest to asking first
      </h2>
      <DataTable label="The others" rows={quiet} columns={COLUMNS} id={(q) => q.campaign} />
    </section>
  );
}
