import { line } from 'd3-shape';
import { scaleLinear } from 'd3-scale';
import type { Day } from '../../api/client';
import { dayMonth, fixed } from '../../format';
import { useNarrow } from '../../ui/narrow';

export type Told = { name: string; of: (d: Day) => number | undefined; decimals: number };

/** Drawn as wide as it is shown, so that its words keep their size. */
const WIDE = 560;
const NARROW = 350;
const H = 96;

/** One figure over the closes; days that do not know it are a gap. */
function Line({ days, told: t }: { days: Day[]; told: Told }) {
  const W = useNarrow() ? NARROW : WIDE;
  const values = days.map((d) => t.of(d));
  const known = values.filter((v) => v !== undefined);
  if (known.length < 2) return null;
  const [low, high] = [Math.min(...known), Math.max(...known)];
  const x = scaleLinear([0, days.length - 1], [4, W - 4]);
  const y = scaleLinear([low, high === low ? low + 1 : high], [H - 14, 12]);
  const path =
    line<number | undefined>()
      .defined((v) => v !== undefined)
      .x((_, i) => x(i))
      .y((v) => y(v ?? 0))
      .digits(1)(values) ?? '';
  const last = known.at(-1);
  const zero = low < 0 && high > 0;
  return (
    <figure className="flex flex-col">
      <figcaption className="flex justify-between">
        <span className="font-semibold">{t.name}</span>
        <span className="text-ink2">
          {fixed(low, t.decimals)} to {fixed(high, t.decimals)}, now{' '}
          <b className="text-ink">{fixed(last, t.decimals)}</b>
        </span>
      </figcaption>
      <svg
        role="img"
        aria-label={`${t.name} over ${days.length} closes: lowest ${fixed(low, t.decimals)}, highest ${fixed(high, t.decimals)}, last ${fixed(last, t.decimals)}`}
        viewBox={`0 0 ${W} ${H}`}
        className="w-full border-b border-hair"
      >
        {zero && (
          <line x1={0} x2={W} y1={y(0)} y2={y(0)} stroke="var(--strong)" strokeWidth={0.75} />
        )}
        <path d={path} fill="none" stroke="var(--ink)" strokeWidth={1.5} />
        <text x={4} y={H - 2} fontSize={12} fill="var(--ink2)">
          {dayMonth(days[0]?.date ?? '')} {days[0]?.date.slice(0, 4)}
        </text>
        <text x={W - 4} y={H - 2} fontSize={12} textAnchor="end" fill="var(--ink2)">
          {dayMonth(days.at(-1)?.date ?? '')} {days.at(-1)?.date.slice(0, 4)}
        </text>
      </svg>
    </figure>
  );
}

/** Figures over time, one under the other on one axis of days. */
export function Lines({ days, told }: { days: Day[]; told: Told[] }) {
  return (
    <div className="grid grid-cols-2 gap-x-8 gap-y-3 max-md:grid-cols-1">
      {told.map((t) => (
        <Line key={t.name} days={days} told={t} />
      ))}
    </div>
  );
}
