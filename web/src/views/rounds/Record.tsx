import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import { api, must, type Day, type Rounds } from '../../api/client';
import { dayMonth, fixed } from '../../format';
import { cents, tone } from '../../money';
import { Button, Notice } from '../../ui/controls';

/** A note of a day, kept when it is left. */
export function DayNote({ date, note }: { date: string; note: string }) {
  const client = useQueryClient();
  const [text, setText] = useState<string>();
  const keep = useMutation({
    mutationFn: async () => {
      if (text !== undefined && text !== note)
        must(
          await api.PUT('/api/days/{date}/note', {
            params: { path: { date } },
            body: { note: text },
          }),
        );
    },
    onSuccess: async () => {
      await Promise.all(
        ['rounds', 'days'].map((key) => client.invalidateQueries({ queryKey: [key] })),
      );
      setText(undefined);
    },
  });
  return (
    <label className="flex flex-col gap-1 text-ink2">
      what I note of {dayMonth(date)}
      <textarea
        rows={2}
        maxLength={1000}
        value={text ?? note}
        onChange={(e) => {
          setText(e.target.value);
        }}
        onBlur={() => {
          keep.mutate();
        }}
        className="rounded border border-strong bg-raised px-2 py-1 text-ink"
      />
      {text !== undefined && text !== note && (
        <span className="flex items-center gap-2">
          <Button disabled={keep.isPending}>keep</Button> not kept yet
        </span>
      )}
      {keep.error && <Notice>{keep.error.message}</Notice>}
    </label>
  );
}

/** What made the profit of a day, in one line a part. */
export function PartsOfDay({ day }: { day: Day }) {
  const f = day.figures;
  if (!f) return null;
  const parts: [string, string][] = [
    ['delta', fixed(f.parts.delta, 2, true)],
    ['gamma', fixed(f.parts.gamma, 2, true)],
    ['theta', fixed(f.parts.theta, 2, true)],
    ['vega', fixed(f.parts.vega, 2, true)],
    ['interest', fixed(f.parts.rate, 2, true)],
    ['dividends', fixed(f.parts.dividends, 2, true)],
    ['new trades', fixed(f.parts.trades, 2, true)],
    ['fees', cents(f.parts.fees, true)],
    ['other', fixed(f.parts.other, 2, true)],
  ];
  return (
    <p className="flex flex-wrap gap-x-3">
      {parts.map(([name, value]) => (
        <span key={name} className="whitespace-nowrap">
          <span className="text-ink2">{name}</span> {value}
        </span>
      ))}
    </p>
  );
}

/** The day's record: the note, what was decided, and the last close against the one before. */
export function Record({ rounds: r }: { rounds: Rounds }) {
  const [last, before] = [r.lastClose, r.closeBefore];
  return (
    <section aria-label="The day" className="flex flex-col gap-2">
      <h2 className="font-semibold">The day</h2>
      <DayNote key={r.today} date={r.today} note={r.note} />
      {r.decided.length > 0 && (
        <ul aria-label="Decided today" className="flex flex-col gap-1">
          {r.decided.map((d) => (
            <li key={d.id} className="border-l-2 border-brass pl-2">
              <span className="text-ink2">{d.at.slice(11, 16)}</span> {d.title}: <b>{d.answer}</b>
              <span className="block text-[12px] text-ink2">
                {d.says}
                {d.note !== '' && ` ${d.note}`}
              </span>
            </li>
          ))}
        </ul>
      )}
      {last?.figures && (
        <div>
          <p>
            The close of {dayMonth(last.date)}: <b>{cents(last.value)}</b>
            {before && <span className="text-ink2"> after {cents(before.value)}</span>}, profit{' '}
            <b className={tone(last.figures.parts.total)}>
              {cents(last.figures.parts.total, true)}
            </b>
          </p>
          <PartsOfDay day={last} />
        </div>
      )}
      <Link to="/days" className="text-brass underline">
        the daily record
      </Link>
    </section>
  );
}
