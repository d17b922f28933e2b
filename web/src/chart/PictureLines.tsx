import type { Evaluation, Mark } from '../api/client';
import { fixed } from '../format';
import { money } from '../money';
import type { Axis } from './axis';
import { spread, type Level } from './spread';

export type LevelProps = { axis: Axis; width: number; level: number; mark?: Mark };
const SIGMAS = ['−2 σ', '−1 σ', '+1 σ', '+2 σ'];
/** Width of the strip at the right of the picture where its levels are named. */
const GUTTER = 84;
/** A narrow picture keeps its width for the lines. */
export const gutterOf = (width: number) => (width < 240 ? 0 : GUTTER);
export const layer = 'pointer-events-none absolute top-0 left-0';

export const bandsOf = (axis: Axis, mark: Mark | undefined): Level[] =>
  (mark?.bands ?? []).map((price, i) => ({
    name: `${SIGMAS[i] ?? ''} ${fixed(price, price > 1000 ? 0 : 1)}`,
    y: axis.y(price),
    ours: false,
  }));
export const inside = (axis: Axis) => (l: Level) => l.y > 2 && l.y < axis.height - 2;

/** The same lines through the picture, with break-evens, all named in the gutter; deviations beyond the rows
 * are named at the edge. */
export function PictureLines({
  axis,
  width,
  level,
  mark,
  evaluation,
  spot,
}: LevelProps & { evaluation?: Evaluation; spot: string }) {
  const at = axis.y(level);
  const bands = bandsOf(axis, mark);
  const evens = (evaluation?.evens ?? [])
    .map((e): Level => ({ name: `B/E ${e.from}`, y: axis.y(Number(e.from)), ours: true }))
    .filter(inside(axis));
  const arrow = (l: Level) => (l.y <= 2 ? '↑ ' : l.y >= axis.height - 2 ? '↓ ' : '');
  const gutter = gutterOf(width);
  const end = width - gutter;
  return (
    <svg aria-hidden width={width} height={axis.height} className={layer}>
      {[...bands.filter(inside(axis)), ...evens].map((b) => (
        <line
          key={b.name}
          x1={0}
          x2={end + 4}
          y1={b.y}
          y2={b.y}
          stroke={b.ours ? 'var(--ink2)' : 'var(--slate)'}
          strokeDasharray={b.ours ? '1 4' : '2 4'}
        />
      ))}
      {(gutter === 0 ? [] : spread([...bands, ...evens], at, axis.height)).map((l) => (
        <text
          key={l.name}
          x={end + 8}
          y={l.at + 4}
          fontSize={12}
          fill={l.ours ? 'var(--ink)' : 'var(--slate)'}
          fontWeight={l.ours ? 600 : 400}
        >
          {arrow(l)}
          {l.name}
        </text>
      ))}
      <line
        x1={0}
        x2={end + 6}
        y1={at}
        y2={at}
        stroke="var(--ink)"
        strokeOpacity={0.6}
        strokeWidth={1.5}
      />
      <rect
        x={gutter === 0 ? end - 60 : end + 6}
        y={at - 10}
        width={gutter === 0 ? 60 : gutter - 12}
        height={20}
        rx={3}
        fill="var(--ink)"
      />
      <text
        x={gutter === 0 ? end - 30 : end + gutter / 2}
        y={at + 4.5}
        textAnchor="middle"
        fontSize={13}
        fontWeight={700}
        fill="var(--raised)"
      >
        {money(spot)}
      </text>
    </svg>
  );
}
