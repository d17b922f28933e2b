import { scaleLinear } from 'd3-scale';
import { area, line } from 'd3-shape';
import { useId } from 'react';
import { Hatch } from '../chart/glyph';
import { fixed } from '../format';

const W = 346;
const AXIS = 16;

type Props = {
  /** What it is, as in "The campaign afterwards". */
  name: string;
  prices: number[];
  /** Profit at the first expiration, at each of the prices. */
  outline: number[];
  /** The same if the price were there now. */
  today: number[];
  spot: number;
  height: number;
};
/** An outline and its today line as wide as the ticket, with the price. */
export function Picture({ name, prices, outline, today, spot, height }: Props) {
  const hatch = useId();
  const x = scaleLinear([prices[0] ?? 0, prices.at(-1) ?? 1], [0, W]);
  const all = [...outline, ...today, 0];
  const y = scaleLinear([Math.min(...all), Math.max(...all)], [height - AXIS - 4, 6]);
  const ticks = x.ticks(5).filter((t) => x(t) > 14 && x(t) < W - 14);
  const curve = (values: number[]) =>
    line<number>()
      .x((_, i) => x(prices[i] ?? 0))
      .y((v) => y(v))(values) ?? '';
  const to = (end: (v: number) => number) =>
    area<number>()
      .x((_, i) => x(prices[i] ?? 0))
      .y0(y(0))
      .y1((v) => y(end(v)))(outline) ?? '';
  return (
    <svg
      role="img"
      aria-label={`${name}: between ${fixed(Math.min(...outline), 0)} and ${fixed(Math.max(...outline), 0)} over the prices shown, at its first expiration`}
      width={W}
      height={height}
      className="mt-1"
    >
      <defs>
        <Hatch id={hatch} />
      </defs>
      <path d={to((v) => Math.max(0, v))} fill="var(--gain-soft)" />
      <path d={to((v) => Math.min(0, v))} fill={`url(#${hatch})`} />
      <line x1={0} x2={W} y1={y(0)} y2={y(0)} stroke="var(--strong)" />
      <line
        x1={x(spot)}
        x2={x(spot)}
        y1={2}
        y2={height - AXIS}
        stroke="var(--ink2)"
        strokeDasharray="2 3"
      />
      <path d={curve(today)} fill="none" stroke="var(--brass)" strokeWidth={1.5} />
      <path d={curve(outline)} fill="none" stroke="var(--ink)" strokeWidth={2} />
      {ticks.map((t) => (
        <text key={t} x={x(t)} y={height - 3} textAnchor="middle" fontSize={12} fill="var(--ink2)">
          {t}
        </text>
      ))}
    </svg>
  );
}
