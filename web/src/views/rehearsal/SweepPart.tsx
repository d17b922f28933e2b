import type { SweepRow } from '../../api/client';
import { count, fixed, longDate, percent } from '../../format';
import { money, tone } from '../../money';
import { Button, Notice } from '../../ui/controls';
import { DataTable, type Column } from '../../ui/DataTable';
import { Scroll } from '../../ui/Page';
import type { Drill } from './drill';
import { stopSweep, sweep, useSweep } from './sweep';

/** Where a number stands, in the words of the text: "enter.legs.1.strike.delta". */
const placeWords = (place: string) => place.replaceAll('.', ' ');

function columnsOf(places: string[]): Column<SweepRow>[] {
  const values = places.map((place, i): Column<SweepRow> => ({
    key: place,
    head: placeWords(place),
    by: (r) => Number(r.values[i]),
    cell: (r) => String(r.values[i]),
  }));
  return [
    ...values,
    {
      key: 'count',
      head: 'cycles',
      by: (r) => r.summary?.count,
      cell: (r) => r.summary?.count ?? r.problem,
    },
    {
      key: 'sum',
      head: 'sum',
      by: (r) => (r.summary ? Number(r.summary.sum) : null),
      cell: (r) => <span className={tone(r.summary?.sum)}>{money(r.summary?.sum, true)}</span>,
    },
    {
      key: 'mean',
      head: 'mean',
      by: (r) => r.summary?.mean,
      cell: (r) => fixed(r.summary?.mean, 2, true),
    },
    {
      key: 'won',
      head: 'winners %',
      by: (r) => r.summary?.share,
      cell: (r) => percent(r.summary?.share, 0),
    },
    {
      key: 'worst',
      head: 'worst',
      by: (r) => (r.summary?.worst == null ? null : Number(r.summary.worst)),
      cell: (r) => money(r.summary?.worst, true),
    },
    {
      key: 'drawdown',
      head: 'drawdown',
      by: (r) => (r.drawdown == null ? null : Number(r.drawdown)),
      cell: (r) => money(r.drawdown),
    },
    {
      key: 'first',
      head: 'first half',
      by: (r) => (r.firstHalf == null ? null : Number(r.firstHalf)),
      cell: (r) => money(r.firstHalf, true),
    },
    {
      key: 'second',
      head: 'second half',
      by: (r) => (r.secondHalf == null ? null : Number(r.secondHalf)),
      cell: (r) => money(r.secondHalf, true),
    },
  ];
}

/** All combinations of a drill whose numbers are lists, as a plain table, and what choosing among them is worth. */
export function SweepPart({
  drill,
  places,
  size,
}: {
  drill: Drill;
  places: string[];
  size: number;
}) {
  const s = useSweep();
  const same = s.of === JSON.stringify(drill);
  const chosen = s.result?.chosen;
  const best = chosen && s.result?.rows[chosen.place];
  return (
    <section aria-label="All combinations" className="flex flex-col gap-2 pt-2">
      <div className="flex flex-wrap items-center gap-3">
        <h2 className="font-serif text-[16px]">All combinations</h2>
        <Button weight="strong" disabled={s.going} onClick={() => void sweep(drill)}>
          play {count(size)} drills
        </Button>
        {s.going && (
          <>
            <progress value={s.done} max={Math.max(1, s.all)} aria-label="drills played" />
            <span className="tabular-nums" role="status">
              {count(s.done)} of {count(s.all)}
            </span>
            <Button onClick={stopSweep}>stop</Button>
          </>
        )}
        {s.stopped && <span className="text-ink2">stopped after {count(s.rows.length)}</span>}
      </div>
      {s.problem !== undefined && <Notice>{s.problem}</Notice>}
      {s.rows.length > 0 && (
        <div
          className={same ? '' : 'opacity-60'}
          aria-label={same ? undefined : 'of other numbers than those that are written now'}
        >
          <p className="max-w-[70ch] pb-1">
            The best of many looks better than it is: among {count(s.rows.length)} that differ by
            luck alone one is far ahead too.
            {chosen && best && (
              <>
                {' '}
                Whoever had chosen the best of the first half (to {longDate(chosen.until)}:{' '}
                {best.values.map(String).join(', ')}, {money(chosen.firstHalf, true)}) made{' '}
                <b className={tone(chosen.secondHalf)}>{money(chosen.secondHalf, true)}</b> in the
                second; the mean of all there is {fixed(chosen.meanSecond, 2, true)}, and{' '}
                {count(chosen.better)} of them did better.
              </>
            )}
          </p>
          <Scroll label="Combinations" className="max-h-[480px]">
            <DataTable
              label="Combinations"
              rows={s.rows}
              columns={columnsOf(s.result?.varied ?? places)}
              id={(r) => r.place}
            />
          </Scroll>
        </div>
      )}
    </section>
  );
}
