import { scaleLinear } from 'd3-scale';
import { useMemo } from 'react';
import { fixed } from '../format';
import { below, contour, type Segment } from './contour';

type Scale = (v: number) => number;
type Line = { level: number; segments: Segment[] };

export const colour = (level: number) =>
  level === 0 ? 'var(--ink)' : level > 0 ? 'var(--gain)' : 'var(--loss)';

/** Round heights between the worst and the best, and the even one. Along a flat end a height that is the end's own would be a line of rounding. */
export function contoursOf(xs: number[], ys: number[], values: number[][]): Line[] {
  const all = values.flat();
  const [worst, best] = [Math.min(...all), Math.max(...all)];
  const least = (best - worst) / 50;
  const levels = scaleLinear([worst, best], [0, 1])
    .ticks(8)
    .filter((v) => v !== 0 && v - worst > least && best - v > least);
  return [...levels, 0].map((level) => ({ level, segments: contour(xs, ys, values, level) }));
}
export const pathOf = (segments: Segment[], x: Scale, y: Scale) =>
  segments
    .map(
      ([x0, y0, x1, y1]) =>
        `M${x(x0).toFixed(1)} ${y(y0).toFixed(1)}L${x(x1).toFixed(1)} ${y(y1).toFixed(1)}`,
    )
    .join('');

type Props = {
  xs: number[];
  ys: number[];
  /** `values[i][j]` stands at (xs[i], ys[j]). */
  values: number[][];
  x: Scale;
  y: Scale;
  /** Of the hatch pattern that losses are filled with. */
  hatch: string;
  evenId: string;
};

/** Losses hatched and lines of equal profit, the even one heavy; to be clipped by who draws them. */
export function Contours({ xs, ys, values, x, y, hatch, evenId }: Props) {
  const lines = useMemo(() => contoursOf(xs, ys, values), [xs, ys, values]);
  const half = ((xs.at(-1) ?? 1) - (xs[0] ?? 0)) / Math.max(1, xs.length - 1) / 2;
  return (
    <>
      {xs.map((at, i) =>
        below(ys, values[i] ?? []).map(([from, to]) => (
          <rect
            key={`${at} ${from}`}
            x={x(at - half)}
            width={x(at + half) - x(at - half) + 0.5}
            y={y(to)}
            height={Math.max(0, y(from) - y(to))}
            fill={`url(#${hatch})`}
          />
        )),
      )}
      {lines.map((l) => (
        <path
          key={l.level}
          data-testid={l.level === 0 ? evenId : undefined}
          d={pathOf(l.segments, x, y)}
          fill="none"
          stroke={colour(l.level)}
          strokeWidth={l.level === 0 ? 2.5 : 1}
        />
      ))}
    </>
  );
}

/** A height is named where its line begins at the left: its highest and its lowest beginning, where they are apart. */
function named(segments: Segment[], y: Scale): [number, number][] {
  const ends = segments.flatMap(([x0, y0, x1, y1]): [number, number][] => [
    [x0, y0],
    [x1, y1],
  ]);
  const first = Math.min(...ends.map(([at]) => at));
  const begins = ends.filter(([at]) => at <= first + 1e-9).sort((p, q) => q[1] - p[1]);
  const [high, low] = [begins[0], begins.at(-1)];
  return high === undefined ? [] : low && y(low[1]) - y(high[1]) > 30 ? [high, low] : [high];
}

/** The heights of the lines, beside them. */
export function ContourNames({
  xs,
  ys,
  values,
  x,
  y,
  width,
  even,
}: Pick<Props, 'xs' | 'ys' | 'values' | 'x' | 'y'> & { width: number; even: string }) {
  const lines = useMemo(() => contoursOf(xs, ys, values), [xs, ys, values]);
  return lines.flatMap((l) =>
    named(l.segments, y).map(([at, v]) => (
      <text
        key={`${l.level} ${v}`}
        x={x(at) > width - 60 ? x(at) - 6 : x(at) + 6}
        textAnchor={x(at) > width - 60 ? 'end' : 'start'}
        y={y(v) + 4}
        fontSize={12}
        fontWeight={l.level === 0 ? 700 : 600}
        fill={colour(l.level)}
        stroke="var(--ground)"
        strokeWidth={4}
        paintOrder="stroke"
      >
        {l.level === 0 ? even : fixed(l.level, 0, true)}
      </text>
    )),
  );
}

/** What the marks of such a picture mean. */
export function ContourLegend({ more, hatch }: { more: LegendMark[]; hatch: string }) {
  const marks: LegendMark[] = [
    { words: 'break-even', stroke: 'var(--ink)', width: 2.5 },
    { words: 'equal profit', stroke: 'var(--gain)', width: 1 },
    { words: 'equal loss', stroke: 'var(--loss)', width: 1 },
    { words: 'one and two σ', stroke: 'var(--slate)', width: 1, dash: '2 4' },
    ...more,
  ];
  return (
    <>
      {marks.map((l) => (
        <span key={l.words} className="flex items-center gap-1">
          <svg aria-hidden width={20} height={4}>
            <line
              x1={0}
              x2={20}
              y1={2}
              y2={2}
              stroke={l.stroke}
              strokeWidth={l.width}
              strokeDasharray={l.dash}
            />
          </svg>
          {l.words}
        </span>
      ))}
      <span className="flex items-center gap-1">
        <svg aria-hidden width={20} height={12}>
          <rect width={20} height={12} fill={`url(#${hatch})`} />
        </svg>
        loss
      </span>
    </>
  );
}
export type LegendMark = { words: string; stroke: string; width: number; dash?: string };
