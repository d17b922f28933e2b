import { scaleLinear } from 'd3-scale';
import { line } from 'd3-shape';
import type { Reworked, ReworkSide } from '../../api/client';
import { Hatch } from '../../chart/glyph';
import { fixed } from '../../format';
import { label } from '../bench/plot';

const [LEFT, TOP, BOTTOM] = [60, 14, 26];
type Line = {
  side: ReworkSide;
  of: 'outline' | 'today';
  stroke: string;
  dash?: string;
  width: number;
};

/** All of the campaign before and after on one axis: what it makes at the end, and if the price were there now. */
export function Picture({
  reworked: r,
  width,
  height,
}: {
  reworked: Reworked;
  width: number;
  height: number;
}) {
  const { before, after } = r;
  const now = after ?? before;
  // What is dashed has been: while nothing is changed, nothing is.
  const was: Line[] = [
    { side: before, of: 'outline', stroke: 'var(--ink2)', dash: '6 4', width: 1.5 },
    { side: before, of: 'today', stroke: 'var(--brass)', dash: '6 4', width: 1 },
  ];
  const lines: Line[] = [
    ...(after ? was : []),
    { side: now, of: 'outline', stroke: 'var(--ink)', width: 2.25 },
    { side: now, of: 'today', stroke: 'var(--brass)', width: 1.75 },
  ];
  const drawn = lines.filter((l) => l.side.prices.length > 0);
  const prices = drawn.flatMap((l) => [l.side.prices[0] ?? 0, l.side.prices.at(-1) ?? 0]);
  const profits = drawn.flatMap((l) => l.side[l.of]);
  const x = scaleLinear([Math.min(...prices), Math.max(...prices)], [LEFT, width - 12]);
  const y = scaleLinear(
    [Math.min(0, ...profits), Math.max(0, ...profits)],
    [height - BOTTOM, TOP],
  ).nice();
  // The corners of an outline are among its points, so that straight pieces are drawn straight.
  const points = ({ side, of }: Pick<Line, 'side' | 'of'>) =>
    [
      ...side.prices.map((price, i) => ({ price, profit: side[of][i] ?? 0 })),
      ...(of === 'outline'
        ? side.kinks.filter(
            (k) => k.price > (side.prices[0] ?? 0) && k.price < (side.prices.at(-1) ?? 0),
          )
        : []),
    ].sort((a, b) => a.price - b.price);
  const path = (l: Pick<Line, 'side' | 'of'>) =>
    line<{ price: number; profit: number }>()
      .x((p) => x(p.price))
      .y((p) => y(p.profit))(points(l)) ?? '';
  const [across, up] = [x.ticks(8), y.ticks(6)];
  const booked = Number(now.booked);
  return (
    <svg
      role="img"
      aria-label={`Profit of the whole campaign over the price${after ? ', before and after' : ''}; break-even after at ${now.evens.map((e) => e.from).join(', ') || 'no price'}`}
      width={width}
      height={height}
      className="block"
    >
      <defs>
        <Hatch id="rework-loss" />
        <clipPath id="rework-below">
          <rect
            x={LEFT}
            y={y(0)}
            width={width - LEFT - 12}
            height={Math.max(0, height - BOTTOM - y(0))}
          />
        </clipPath>
      </defs>
      {up.map((t) => (
        <g key={t}>
          <line x1={LEFT} x2={width - 12} y1={y(t)} y2={y(t)} stroke="var(--hair)" />
          <text x={LEFT - 8} y={y(t) + 4} textAnchor="end" fontSize={12} fill="var(--ink2)">
            {label(t, up, true)}
          </text>
        </g>
      ))}
      {across.map((t) => (
        <text key={t} x={x(t)} y={height - 8} textAnchor="middle" fontSize={12} fill="var(--ink2)">
          {label(t, across)}
        </text>
      ))}
      {now.prices.length > 0 && (
        <path
          d={`${path({ side: now, of: 'outline' })}L${x(now.prices.at(-1) ?? 0)} ${y(0)}L${x(now.prices[0] ?? 0)} ${y(0)}Z`}
          fill="url(#rework-loss)"
          clipPath="url(#rework-below)"
        />
      )}
      <line x1={LEFT} x2={width - 12} y1={y(0)} y2={y(0)} stroke="var(--ink2)" />
      {after?.prices.length === 0 && (
        <line
          x1={LEFT}
          x2={width - 12}
          y1={y(booked)}
          y2={y(booked)}
          stroke="var(--ink)"
          strokeWidth={2.25}
        />
      )}
      {drawn.map((l) => (
        <path
          key={`${l.of} ${l.dash ?? ''}`}
          data-testid={`rework-${l.side === before ? 'before' : 'after'}-${l.of}`}
          d={path(l)}
          fill="none"
          stroke={l.stroke}
          strokeWidth={l.width}
          strokeDasharray={l.dash}
        />
      ))}
      <line
        x1={x(r.spot)}
        x2={x(r.spot)}
        y1={TOP}
        y2={height - BOTTOM}
        stroke="var(--ink)"
        strokeOpacity={0.5}
      />
      <text x={x(r.spot) + 4} y={TOP + 10} fontSize={12} fontWeight={600} fill="var(--ink)">
        {fixed(r.spot, 2)}
      </text>
    </svg>
  );
}
