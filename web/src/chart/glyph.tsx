import { memo } from 'react';
import { line } from 'd3-shape';
import { scaleLinear } from 'd3-scale';
import type { Evaluation, Strip } from '../api/client';
import { fixed } from '../format';

/** The loss hatch, once per picture; `id` keeps pictures apart. */
export function Hatch({ id }: { id: string }) {
  return (
    <pattern
      id={id}
      width="6"
      height="6"
      patternUnits="userSpaceOnUse"
      patternTransform="rotate(45)"
    >
      <line
        x1="0"
        y1="0"
        x2="0"
        y2="6"
        stroke="var(--loss)"
        strokeOpacity="0.55"
        strokeWidth="1.6"
      />
    </pattern>
  );
}

/** A small outline: price across, profit up. */
export const OutlineGlyph = memo(function OutlineGlyph({
  evaluation: e,
  width = 50,
  height = 18,
}: {
  evaluation: Evaluation;
  width?: number;
  height?: number;
}) {
  const x = scaleLinear([e.prices[0] ?? 0, e.prices.at(-1) ?? 1], [1, width - 1]);
  const y = scaleLinear([Math.min(0, ...e.outline), Math.max(0, ...e.outline)], [height - 2, 2]);
  const path =
    line<number>()
      .x((_, i) => x(e.prices[i] ?? 0))
      .y((v) => y(v))(e.outline) ?? '';
  return (
    <svg aria-hidden width={width} height={height} className="shrink-0">
      <line x1={0} x2={width} y1={y(0)} y2={y(0)} stroke="var(--strong)" strokeWidth={0.75} />
      <path d={path} fill="none" stroke="var(--ink)" strokeWidth={1.5} />
    </svg>
  );
});

/** Range strip: loss zones hatched, gain zones plain, ticks at sold strikes, dot at the price. */
export function RangeStrip({
  strip,
  width = 200,
  id,
  bare = false,
}: {
  strip: Strip;
  width?: number;
  id: string;
  /** In deviations, as others are: the edges are not named. */
  bare?: boolean;
}) {
  const x = scaleLinear([strip.low, strip.high], [0, width]);
  const words = strip.zones
    .map((z) => `${z.gain ? 'gain' : 'loss'} from ${fixed(z.from, 2)} to ${fixed(z.to, 2)}`)
    .join(', ');
  const px = x(strip.spot);
  return (
    <svg
      role="img"
      aria-label={`At expiration${bare ? ', in deviations' : ''}: ${words}. Price now ${fixed(strip.spot, 2)}.${strip.rings.length > 0 ? ` My rules ring at ${strip.rings.map((r) => fixed(r, 2)).join(', ')}.` : ''}`}
      width={width}
      height={bare ? 19 : 26}
    >
      <defs>
        <Hatch id={id} />
      </defs>
      {strip.zones.map((z) => (
        <rect
          key={z.from}
          x={x(z.from)}
          width={Math.max(0, x(z.to) - x(z.from))}
          y={4}
          height={10}
          fill={z.gain ? 'var(--gain-soft)' : `url(#${id})`}
          stroke={z.gain ? 'var(--gain)' : 'none'}
          strokeWidth={0.75}
        />
      ))}
      <line x1={0} x2={width} y1={14.5} y2={14.5} stroke="var(--strong)" />
      {strip.shorts.map((s) => (
        <line key={s} x1={x(s)} x2={x(s)} y1={2} y2={17} stroke="var(--ink)" strokeWidth={1.5} />
      ))}
      {strip.rings.map((r) => (
        <path key={r} d={`M${x(r) - 3} 0h6l-3 4.5z`} fill="var(--brass)" data-testid="rule-mark" />
      ))}
      {bare &&
        [-2, -1, 0, 1, 2].map((k) => (
          <line
            key={k}
            x1={x(k)}
            x2={x(k)}
            y1={14.5}
            y2={k === 0 ? 19 : 17}
            stroke="var(--strong)"
          />
        ))}
      {(bare ? [] : strip.zones.slice(1)).map((z) => (
        <text
          key={z.from}
          x={Math.min(width - 14, Math.max(14, x(z.from)))}
          y={25}
          textAnchor="middle"
          fontSize={10}
          fill="var(--ink2)"
        >
          {fixed(z.from, z.from >= 1000 ? 0 : 1)}
        </text>
      ))}
      <circle cx={px} cy={9} r={4} fill="var(--brass-fill)" stroke="var(--ink)" />
    </svg>
  );
}
