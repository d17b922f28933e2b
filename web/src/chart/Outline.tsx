import { memo } from 'react';
import { scaleLinear } from 'd3-scale';
import { area, line } from 'd3-shape';
import type { Evaluation } from '../api/client';
import { Hatch } from './glyph';
import { isOption, parts } from '../drafts/contract';
import { reach, type Axis } from './axis';
import { gutterOf } from './PictureLines';

type Point = { price: number; profit: number };
type Props = {
  id: string;
  evaluation: Evaluation;
  ghost?: Evaluation;
  axis: Axis;
  width: number;
  bands: number[];
  onDragKink?: (strike: number, e: React.PointerEvent) => void;
};

/** What a drawing hangs on. The bands move with every tick: its scale follows them with the next answer. */
const same = (a: Props, b: Props) =>
  a.evaluation === b.evaluation && a.ghost === b.ghost && a.axis === b.axis && a.width === b.width;

/** Profit against price on the rows' own axis: outline in ink, today in brass, loss hatched. */
export const Outline = memo(function Outline({
  id,
  evaluation: e,
  ghost,
  axis,
  width,
  bands,
  onDragKink,
}: Props) {
  const height = axis.height;
  const [low, high] = reach(axis);
  const grid = e.prices.map((price, i): Point => ({ price, profit: e.outline[i] ?? 0 }));
  const corners = e.estimate ? [] : e.kinks;
  const outline = [...grid, ...corners]
    .filter((p) => p.price >= low && p.price <= high)
    .sort((a, b) => a.price - b.price);
  const today = e.prices
    .map((price, i): Point => ({ price, profit: e.today[i] ?? 0 }))
    .filter((p) => p.price >= low && p.price <= high);
  // Far tails do not squeeze the middle: the scale holds what two deviations and the legs reach, the rest is cut.
  const strikes = e.legs.filter((l) => isOption(l.contract)).map((l) => parts(l.contract).strike);
  const [nearest, farthest] = [Math.min(...bands, ...strikes), Math.max(...bands, ...strikes)];
  const profits = [...outline, ...today]
    .filter((p) => p.price >= nearest && p.price <= farthest)
    .map((p) => p.profit);
  const x = scaleLinear(
    [Math.min(0, ...profits), Math.max(0, ...profits)],
    [16, width - gutterOf(width) - 10],
  );
  const y = (p: Point) => axis.y(p.price);
  const shape =
    area<Point>()
      .digits(1)
      .y(y)
      .x0(x(0))
      .x1((p) => x(p.profit))(outline) ?? '';
  const path = (points: Point[]) =>
    line<Point>()
      .digits(1)
      .x((p) => x(p.profit))
      .y(y)(points) ?? '';
  const legs = new Set(strikes);
  return (
    <svg
      role="img"
      width={width}
      height={height}
      aria-label={`Outline of the ${e.name}. ${e.tailAbove}. ${e.tailBelow}.`}
      className="absolute top-0 left-0 z-[5]"
    >
      <defs>
        <Hatch id={`${id}-loss`} />
        <clipPath id={`${id}-gain-side`}>
          <rect
            x={x(0)}
            y={0}
            width={Math.max(0, width - gutterOf(width) + 2 - x(0))}
            height={height}
          />
        </clipPath>
        <clipPath id={`${id}-picture`}>
          <rect x={0} y={0} width={width - gutterOf(width) + 2} height={height} />
        </clipPath>
        <clipPath id={`${id}-loss-side`}>
          <rect x={0} y={0} width={x(0)} height={height} />
        </clipPath>
      </defs>
      <path d={shape} fill="var(--gain-soft)" clipPath={`url(#${id}-gain-side)`} />
      <path d={shape} fill={`url(#${id}-loss)`} clipPath={`url(#${id}-loss-side)`} />
      <line x1={x(0)} x2={x(0)} y1={0} y2={height} stroke="var(--ink2)" />
      {ghost && (
        <path
          data-testid="ghost"
          d={path(
            ghost.prices
              .map((price, i): Point => ({ price, profit: ghost.outline[i] ?? 0 }))
              .filter((p) => p.price >= low && p.price <= high),
          )}
          clipPath={`url(#${id}-picture)`}
          fill="none"
          stroke="var(--ink)"
          strokeOpacity={0.3}
          strokeDasharray="5 4"
          strokeWidth={1.5}
        />
      )}
      <path
        data-testid="today-line"
        d={path(today)}
        clipPath={`url(#${id}-picture)`}
        fill="none"
        stroke="var(--brass)"
        strokeWidth={2}
      />
      <path
        data-testid="outline"
        d={path(outline)}
        clipPath={`url(#${id}-picture)`}
        fill="none"
        stroke="var(--ink)"
        strokeWidth={2}
        strokeLinejoin="round"
      />
      {corners
        .filter((k) => legs.has(k.price) && k.price >= low && k.price <= high)
        .map((k) => (
          <circle
            key={k.price}
            cx={x(k.profit)}
            cy={axis.y(k.price)}
            r={5}
            fill="var(--raised)"
            stroke="var(--ink)"
            strokeWidth={2}
            className="cursor-ns-resize touch-none"
            onPointerDown={(ev) => {
              onDragKink?.(k.price, ev);
            }}
          >
            <title>drag to move the leg at {k.price}</title>
          </circle>
        ))}
    </svg>
  );
}, same);
