import { useMutation, useQueryClient } from '@tanstack/react-query';
import { scaleSqrt } from 'd3-scale';
import { useState } from 'react';
import { Link } from 'react-router';
import { api, must, type Dated } from '../../api/client';
import { Button, Notice } from '../../ui/controls';
import { DateField } from '../../ui/DateField';

const KINDS: Record<Dated['kind'], { name: string; mark: string }> = {
  expiration: { name: 'expiration', mark: '|' },
  news: { name: 'earnings or decision', mark: '◆' },
  dividend: { name: 'ex-date', mark: '◇' },
  rule: { name: 'my rule', mark: '●' },
  own: { name: 'mine', mark: '○' },
};
const AHEAD = 14;
const TICKS = [0, 1, 3, 7, 14];

/** The next fourteen days on the ribbon's scale, and what they bring. */
export function Dates({ dates }: { dates: Dated[] }) {
  const client = useQueryClient();
  const [date, setDate] = useState('');
  const [what, setWhat] = useState('');
  const again = () => client.invalidateQueries({ queryKey: ['rounds'] });
  const add = useMutation({
    mutationFn: async () => must(await api.POST('/api/dates', { body: { date, what } })),
    onSuccess: async () => {
      setDate('');
      setWhat('');
      await again();
    },
  });
  const remove = useMutation({
    mutationFn: async (id: number) => {
      must(await api.DELETE('/api/dates/{id}', { params: { path: { id } } }));
    },
    onSuccess: again,
  });
  const x = scaleSqrt([0, AHEAD], [6, 292]);
  const trouble = add.error ?? remove.error;
  return (
    <section aria-label="The next fourteen days" className="flex flex-col gap-1">
      <h2 className="font-semibold">The next fourteen days</h2>
      <svg
        role="img"
        aria-label={`${dates.length} dates within fourteen days; they are listed below`}
        viewBox="0 0 300 34"
        className="w-full max-w-[420px]"
      >
        <line x1={6} x2={294} y1={18.5} y2={18.5} stroke="var(--strong)" />
        {TICKS.map((t) => (
          <g key={t}>
            <line x1={x(t)} x2={x(t)} y1={18.5} y2={22} stroke="var(--strong)" />
            <text
              x={x(t)}
              y={32}
              textAnchor={t === 0 ? 'start' : t === AHEAD ? 'end' : 'middle'}
              fontSize={11}
              fill="var(--ink2)"
            >
              {t === 0 ? 'today' : `${t} d`}
            </text>
          </g>
        ))}
        {dates.map((d, i) => {
          const same = dates.slice(0, i).filter((o) => o.date === d.date).length;
          return (
            <text
              key={`${d.date}-${d.kind}-${d.what}`}
              x={x(d.days)}
              y={15 - Math.min(same, 1) * 8}
              textAnchor="middle"
              fontSize={9}
              fill={d.kind === 'expiration' ? 'var(--ink)' : 'var(--brass)'}
            >
              {KINDS[d.kind].mark}
            </text>
          );
        })}
      </svg>
      {dates.length === 0 && <p className="text-ink2">Nothing is dated within fourteen days.</p>}
      <ul className="flex flex-col gap-0.5">
        {dates.map((d) => (
          <li
            key={`${d.date}-${d.kind}-${d.what}`}
            className="grid grid-cols-[64px_14px_minmax(0,1fr)_auto] gap-1"
          >
            <span className="text-ink2 tabular-nums">{d.label}</span>
            <span aria-hidden className={d.kind === 'expiration' ? '' : 'text-brass'}>
              {KINDS[d.kind].mark}
            </span>
            <span>
              <span className="sr-only">{KINDS[d.kind].name}: </span>
              {d.campaign == null ? (
                d.what
              ) : (
                <Link to={`/campaign/${d.campaign}`} className="underline-offset-2 hover:underline">
                  {d.what}
                </Link>
              )}
            </span>
            {d.own != null && (
              <button
                type="button"
                aria-label={`take away: ${d.what}`}
                className="rounded px-1 text-ink2 hover:text-ink"
                onClick={() => {
                  if (d.own != null) remove.mutate(d.own);
                }}
              >
                ×
              </button>
            )}
          </li>
        ))}
      </ul>
      <form
        className="flex flex-wrap items-center gap-1 pt-1"
        onSubmit={(e) => {
          e.preventDefault();
          add.mutate();
        }}
      >
        <DateField label="A date of mine" value={date} onChange={setDate} />
        <input
          aria-label="What it is"
          placeholder="a date of mine"
          maxLength={120}
          value={what}
          onChange={(e) => {
            setWhat(e.target.value);
          }}
          className="h-6 min-w-0 flex-1 rounded border border-strong bg-raised px-2 placeholder:text-ink2"
        />
        <Button type="submit" disabled={date === '' || what.trim() === '' || add.isPending}>
          add
        </Button>
      </form>
      {trouble && <Notice>{trouble.message}</Notice>}
      <p className="text-[12px] text-ink2">
        {Object.values(KINDS)
          .map((k) => `${k.mark} ${k.name}`)
          .join(' · ')}
      </p>
    </section>
  );
}
