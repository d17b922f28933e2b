import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import type { Looks, Replay } from '../../api/client';
import { SLOTS, useDrafts, type Slot } from '../../drafts/store';
import { fixed, longDate } from '../../format';
import { money, tone } from '../../money';
import { Button, Choices, Notice } from '../../ui/controls';
import { DataTable, type Column } from '../../ui/DataTable';
import { replayQuery } from './queries';

type Row = Replay['rows'][number];
const COLUMNS: Column<Row>[] = [
  {
    key: 'date',
    head: 'news',
    left: true,
    by: (r) => r.date,
    cell: (r) => <span className="whitespace-nowrap">{longDate(r.date)}</span>,
  },
  {
    key: 'moved',
    head: 'moved, %',
    by: (r) => r.moved,
    cell: (r) => fixed(100 * r.moved, 1, true),
  },
  {
    key: 'name',
    head: 'what it would have been',
    left: true,
    cell: (r) => r.name ?? <span className="text-ink2">none: {r.none}</span>,
  },
  { key: 'paid', head: 'paid, received −', cell: (r) => money(r.paid) },
  {
    key: 'middle',
    head: 'at the middles',
    by: (r) => (r.middle == null ? undefined : Number(r.middle)),
    cell: (r) => <span className={tone(r.middle)}>{money(r.middle, true)}</span>,
  },
  {
    key: 'far',
    head: 'at the far sides',
    by: (r) => (r.far == null ? undefined : Number(r.far)),
    cell: (r) => <span className={tone(r.far)}>{money(r.far, true)}</span>,
  },
];

/** What a draft of the tray would have made around past news: carried back at the same distances, at the middles and at the far sides. */
export function ReplayPart({ symbol, looks }: { symbol: string; looks: Looks }) {
  const drafts = useDrafts((s) => s.drafts);
  const [chosen, choose] = useState<Slot>();
  const [by, setBy] = useState<'delta' | 'deviations'>('delta');
  const own = SLOTS.filter((s) => drafts[s]?.symbol === symbol && drafts[s].legs.length > 0);
  const slot = own.find((s) => s === chosen);
  const replay = useQuery(
    replayQuery(symbol, slot ? (drafts[slot]?.legs ?? null) : null, looks, by),
  );
  const sums = (name: string, s: Replay['middle']) =>
    s && (
      <span>
        {name}: sum <b className={tone(s.sum)}>{money(s.sum, true)}</b>, mean{' '}
        {fixed(s.mean, 2, true)}, worst {money(s.worst, true)}, above zero {s.gains}
      </span>
    );
  return (
    <div className="flex flex-col gap-1.5 border-t border-hair pt-1.5">
      <div className="flex flex-wrap items-center gap-2">
        <span className="text-ink2">what it would have made:</span>
        {own.length === 0 && (
          <span className="text-ink2">
            a draft on {symbol} in the tray can be carried back to these dates.
          </span>
        )}
        {own.map((s) => (
          <Button
            key={s}
            aria-pressed={s === slot}
            className={s === slot ? '!border-brass !bg-brass-soft text-brass' : ''}
            onClick={() => {
              choose(s === slot ? undefined : s);
            }}
          >
            draft {s}
          </Button>
        ))}
        {slot && (
          <Choices
            label="Distances by"
            value={by}
            onChange={setBy}
            choices={[
              { value: 'delta', label: 'same deltas' },
              { value: 'deviations', label: 'same σ' },
            ]}
          />
        )}
      </div>
      {slot && replay.error && <Notice>{replay.error.message}</Notice>}
      {slot && replay.data && (
        <div className={replay.isPlaceholderData ? 'old' : ''}>
          <p className="flex flex-wrap gap-x-4 text-[12px] text-ink2">
            {sums('At the middles', replay.data.middle)}
            {sums('At the far sides', replay.data.far)}
            <span>Fees of both ways are taken off.</span>
          </p>
          <div role="region" aria-label="Results" tabIndex={0} className="overflow-x-auto">
            <DataTable
              label="What it would have made"
              rows={replay.data.rows}
              columns={COLUMNS}
              id={(r) => r.before}
            />
          </div>
        </div>
      )}
    </div>
  );
}
