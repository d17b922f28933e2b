import { DateField } from '../../ui/DateField';
import { useQuery } from '@tanstack/react-query';
import { scaleLinear } from 'd3-scale';
import { line } from 'd3-shape';
import { useState } from 'react';
import type { Draft } from '../../api/client';
import { compareQuery } from '../../api/queries';
import { change, SLOTS, useDrafts } from '../../drafts/store';
import { fixed, percent } from '../../format';
import { money } from '../../money';
import { Notice } from '../../ui/controls';
import { label } from './plot';
import { number } from './scene';

const LOOKS = [
  ['var(--ink)', undefined],
  ['var(--brass)', undefined],
  ['var(--slate)', '6 3'],
  ['var(--gain)', '2 3'],
  ['var(--ink2)', '1 4'],
] as const;
const LEFT = 60;
const BOTTOM = 22;
const field = 'h-6 rounded border border-strong bg-ground px-2 font-semibold tabular-nums';
const noon = (date: string) => Date.parse(`${date}T16:00:00Z`);

/** Up to four drafts and the underlying itself at my target: outlines over each other and a table, the best of each row marked. */
export function ComparePanel({
  draft,
  spot,
  now,
  days,
  width,
}: {
  draft: Draft;
  spot: number;
  now: string;
  days: number;
  width: number;
}) {
  const drafts = useDrafts((s) => s.drafts);
  const today = now.slice(0, 10);
  const target = draft.target ?? { price: Math.round(spot * 1.05 * 100) / 100 };
  const [price, setPrice] = useState(String(target.price));
  const date =
    target.date ??
    new Date(noon(today) + Math.round(days / 2) * 86_400_000).toISOString().slice(0, 10);
  const ahead = Math.max(0, (noon(date) - noon(today)) / 86_400_000);
  const others = SLOTS.flatMap((slot) => {
    const d = drafts[slot];
    return d && d.symbol === draft.symbol && d.legs.length > 0
      ? [{ slot, legs: d.legs, entry: d.entry ?? ('middle' as const) }]
      : [];
  });
  const away = SLOTS.filter((slot) => {
    const d = drafts[slot];
    return d && d.symbol !== draft.symbol && d.legs.length > 0;
  });
  const answer = useQuery(
    compareQuery({ symbol: draft.symbol, drafts: others, price: target.price, days: ahead }),
  );
  const keep = (next: { price?: number; date?: string }) => {
    change(draft.symbol, (d) => ({ ...d, target: { price: target.price, date, ...next } }));
  };
  const c = answer.data;
  const height = 230;
  const all = c?.columns.flatMap((x) => (x.slot === 'stock' ? [] : x.outline)) ?? [];
  const x = scaleLinear([c?.prices[0] ?? 0, c?.prices.at(-1) ?? 1], [LEFT, width - 10]);
  const y = scaleLinear([Math.min(0, ...all), Math.max(0, ...all)], [height - BOTTOM, 10]).nice();
  const path = (values: number[]) =>
    line<number>()
      .x((_, i) => x(c?.prices[i] ?? 0))
      .y((v) => y(v))(values) ?? '';
  const rows: [string, string, (k: NonNullable<typeof c>['columns'][number]) => string][] = [
    ['net price', '', (k) => `${k.price.amount} ${k.price.side}`],
    ['profit at the target', 'profit', (k) => fixed(k.profit, 0, true)],
    ['on capital tied up', 'part', (k) => (k.part == null ? '—' : `${percent(k.part, 0)} %`)],
    ['chance of profit then', 'chance', (k) => `${percent(k.chance, 0)} %`],
    ['leverage', 'leverage', (k) => (k.leverage == null ? '—' : `${fixed(k.leverage, 1)} ×`)],
    ['max loss', 'least', (k) => (k.least.unlimited ? 'no limit' : money(k.least.profit))],
    ['capital tied up', '', (k) => money(k.capital)],
  ];
  return (
    <div className="flex flex-col gap-2">
      <div className="flex flex-wrap items-center gap-3">
        <label className="flex items-center gap-1.5">
          my target price
          <input
            inputMode="decimal"
            value={price}
            onChange={(e) => {
              setPrice(e.target.value.trim());
              const v = number(e.target.value.trim());
              if (v !== undefined && v > 0) keep({ price: v });
            }}
            className={`num w-24 ${field}`}
          />
        </label>
        <span className="flex items-center gap-1.5">
          and date
          <DateField
            label="Date"
            value={date}
            onChange={(iso) => {
              if (iso >= today) keep({ date: iso });
            }}
          />
        </span>
        {away.length > 0 && (
          <span className="text-ink2">{`${away.join(', ')} ${away.length === 1 ? 'is' : 'are'} on another underlying and not compared.`}</span>
        )}
      </div>
      {answer.error && <Notice>{answer.error.message}</Notice>}
      {c && (
        <>
          <svg
            role="img"
            aria-label="Outlines of the drafts over each other"
            width={width}
            height={height}
            className="block"
          >
            <defs>
              <clipPath id="compare-box">
                <rect x={LEFT} y={0} width={width - LEFT} height={height - BOTTOM} />
              </clipPath>
            </defs>
            {y.ticks(5).map((t, _, ts) => (
              <g key={t}>
                <line x1={LEFT} x2={width - 10} y1={y(t)} y2={y(t)} stroke="var(--hair)" />
                <text x={LEFT - 6} y={y(t) + 4} textAnchor="end" fontSize={12} fill="var(--ink2)">
                  {label(t, ts, true)}
                </text>
              </g>
            ))}
            {x.ticks(8).map((t, _, ts) => (
              <text
                key={t}
                x={x(t)}
                y={height - 6}
                textAnchor="middle"
                fontSize={12}
                fill="var(--ink2)"
              >
                {label(t, ts)}
              </text>
            ))}
            <line x1={LEFT} x2={width - 10} y1={y(0)} y2={y(0)} stroke="var(--ink2)" />
            <line
              x1={x(target.price)}
              x2={x(target.price)}
              y1={10}
              y2={height - BOTTOM}
              stroke="var(--brass)"
              strokeDasharray="3 3"
            />
            <line
              x1={x(spot)}
              x2={x(spot)}
              y1={10}
              y2={height - BOTTOM}
              stroke="var(--ink)"
              strokeOpacity={0.5}
            />
            {c.columns.map((k, i) => (
              <path
                key={k.slot}
                d={path(k.outline)}
                clipPath="url(#compare-box)"
                fill="none"
                stroke={LOOKS[i]?.[0]}
                strokeDasharray={LOOKS[i]?.[1]}
                strokeWidth={2}
              />
            ))}
          </svg>
          <table className="w-fit tabular-nums" aria-label="Comparison at my target">
            <thead>
              <tr>
                <td />
                {c.columns.map((k, i) => (
                  <th
                    key={k.slot}
                    scope="col"
                    className="min-w-[84px] px-2 text-right align-bottom leading-4 font-semibold"
                  >
                    <svg aria-hidden width={26} height={6} className="ml-auto">
                      <line
                        x1={0}
                        x2={26}
                        y1={3}
                        y2={3}
                        stroke={LOOKS[i]?.[0]}
                        strokeDasharray={LOOKS[i]?.[1]}
                        strokeWidth={2}
                      />
                    </svg>
                    {k.slot === 'stock' ? '' : `${k.slot} `}
                    <span className="font-normal">{k.name || draft.symbol}</span>
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {rows.map(([name, key, of]) => (
                <tr key={name} className="border-t border-hair">
                  <th scope="row" className="py-0.5 pr-3 text-left font-normal text-ink2">
                    {name}
                  </th>
                  {c.columns.map((k) => {
                    const best = c.columns.length > 1 && k.best.some((row) => row === key);
                    return (
                      <td key={k.slot} className={`num px-2 ${best ? 'font-bold text-brass' : ''}`}>
                        {best && <span aria-hidden>● </span>}
                        {of(k)}
                        {best && <span className="sr-only"> best</span>}
                      </td>
                    );
                  })}
                </tr>
              ))}
            </tbody>
          </table>
          <p className="text-ink2">
            Leverage: the value of what the largest leg stands for, over what is tied up. A draft
            that has ended by then counts at its end.
          </p>
        </>
      )}
    </div>
  );
}
