import { useState } from 'react';
import type { BenchAnswer } from '../../api/client';
import { dayMonth, fixed } from '../../format';
import { Button, Choices } from '../../ui/controls';
import { look, useScene } from './scene';

const HATCHED =
  'repeating-linear-gradient(45deg, transparent 0 5px, color-mix(in srgb, var(--loss) 22%, transparent) 5px 6px)';
const UNITS = {
  money: 'in money',
  ofMost: 'in percent of the max profit',
  ofCapital: 'in percent of the capital tied up',
};

/** Chosen prices by dates as plain numbers; losses hatched, the even line heavy. */
export function ProfitGrid({ bench: b }: { bench: BenchAnswer }) {
  const { grid: s } = useScene();
  const [copied, setCopied] = useState(false);
  const set = (change: Partial<typeof s>) => {
    look({ grid: { ...s, ...change } });
  };
  const g = b.grid;
  const decimals = s.unit === 'money' ? 0 : 1;
  // What a date is: an event by its name, the end of the draft, or the one that the slider stands at.
  const heads = (g?.dates ?? []).map((date, i, all) => {
    const days = g?.days[i] ?? 0;
    const event = b.events.find((e) => e.date === date);
    const end = b.evaluation.estimate ? 'first expiration, about' : 'expiration';
    const name = i === all.length - 1 ? end : days < 0.05 ? 'now' : (event?.what ?? 'chosen date');
    return { date, days, name };
  });
  const rows = (g?.prices ?? [])
    .map((price, i) => ({
      price,
      name: g?.names[i] ?? '',
      cells: (g?.values ?? []).map((line) => line[i] ?? 0),
    }))
    .reverse();
  const csv = () =>
    [
      ['price', 'what', ...heads.map((h) => h.date)],
      ...rows.map((r) => [
        r.price.toFixed(2),
        r.name.replaceAll(', ', ' and '),
        ...r.cells.map((c) => c.toFixed(2)),
      ]),
    ]
      .map((r) => r.join(','))
      .join('\r\n');
  const copy = () => {
    void navigator.clipboard.writeText(csv()).then(() => {
      setCopied(true);
      setTimeout(() => {
        setCopied(false);
      }, 2_000);
    });
  };
  return (
    <div>
      <div className="flex flex-wrap items-center gap-2 pb-2">
        <Choices
          label="Prices"
          value={s.by}
          onChange={(by) => {
            set({ by });
          }}
          choices={[
            { value: 'matter', label: 'prices that matter' },
            { value: 'prices', label: 'chosen' },
          ]}
        />
        {s.by === 'prices' && (
          <input
            aria-label="Chosen prices"
            placeholder="180 187.5 195"
            value={s.prices}
            onChange={(e) => {
              set({ prices: e.target.value });
            }}
            className="h-6 w-56 rounded border border-strong bg-ground px-2 font-semibold"
          />
        )}
        <Choices
          label="Told in"
          value={s.unit}
          onChange={(unit) => {
            set({ unit });
          }}
          choices={[
            { value: 'money', label: 'money' },
            { value: 'ofMost', label: '% of max profit' },
            { value: 'ofCapital', label: '% of capital' },
          ]}
        />
        <Button disabled={rows.length === 0} onClick={copy}>
          {copied ? 'copied' : 'copy as CSV'}
        </Button>
      </div>
      {g && !g.values && (
        <p className="text-ink2">
          {s.unit === 'ofMost'
            ? 'What it can make has no limit (or is nothing): there is no share of it to tell.'
            : 'No capital is tied up: there is no share of it to tell.'}
        </p>
      )}
      {!g && <p className="text-ink2">Write the prices to look at, with spaces between.</p>}
      {g?.values && (
        <table className="border-collapse tabular-nums" aria-label="Profit by price and date">
          <thead>
            <tr>
              <th className="px-2 py-0.5 text-left font-normal text-ink2" colSpan={3}>
                price
              </th>
              {heads.map((h) => (
                <th
                  key={`${h.date} ${h.days}`}
                  className="max-w-32 px-2 py-0.5 text-right align-bottom leading-4 font-semibold"
                >
                  {h.name}
                  <br />
                  <span className="font-normal text-ink2">
                    {dayMonth(h.date)}
                    {h.days >= 0.05 && `, ${fixed(h.days, 0)} d`}
                  </span>
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {rows.map((r, i) => {
              const here = Math.abs(r.price / b.evaluation.spot - 1) < 1e-6;
              const above = rows[i - 1];
              return (
                <tr key={r.price} className={here ? 'bg-warm font-semibold' : ''}>
                  <th
                    scope="row"
                    className="border-t border-hair px-2 py-0.5 text-right font-semibold"
                  >
                    {fixed(r.price, 2)}
                  </th>
                  <td className="border-t border-hair px-2 py-0.5 whitespace-nowrap text-ink2">
                    {r.name}
                  </td>
                  <td className="num border-t border-hair px-2 py-0.5 text-ink2">
                    {fixed((r.price / b.evaluation.spot - 1) * 100, 1, true)} %
                  </td>
                  {r.cells.map((c, j) => {
                    const turns = above && (above.cells[j] ?? 0) < 0 !== c < 0;
                    const side = j > 0 && (r.cells[j - 1] ?? 0) < 0 !== c < 0;
                    return (
                      <td
                        key={j}
                        className={`min-w-[64px] px-2 py-0.5 text-right ${turns ? 'border-t-2 border-t-ink' : 'border-t border-t-hair'} ${side ? 'border-l-2 border-l-ink' : ''}`}
                        style={c < 0 ? { backgroundImage: HATCHED } : undefined}
                      >
                        {fixed(c, decimals, true)}
                      </td>
                    );
                  })}
                </tr>
              );
            })}
          </tbody>
        </table>
      )}
      <p className="mt-2 text-ink2">
        Profit {UNITS[s.unit]}; a heavy line where it turns from gain to loss.
      </p>
    </div>
  );
}
