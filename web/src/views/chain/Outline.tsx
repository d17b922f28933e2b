import { scaleLinear } from 'd3-scale';
import { area, line } from 'd3-shape';
import type { Evaluation } from '../../api/client';
import { Hatch } from '../../chart/glyph';
import { fixed, money } from '../../format';
import type { Axis } from './axis';

type Point = { price: number; profit: number };
type Props = { evaluation: Evaluation; axis: Axis; width: number; onDragKink?: (strike: number, e: React.PointerEvent) => void };

/** Profit against price on the rows' own axis: outline in ink, today in brass, loss hatched. */
export function Outline({ evaluation: e, axis, width, onDragKink }: Props) {
  const height = axis.height;
  const [low, high] = [axis.price(height), axis.price(0)];
  const grid = e.prices.map((price, i): Point => ({ price, profit: e.outline[i] ?? 0 }));
  const corners = e.estimate ? [] : e.kinks;
  const outline = [...grid, ...corners].filter((p) => p.price >= low && p.price <= high).sort((a, b) => a.price - b.price);
  const today = e.prices.map((price, i): Point => ({ price, profit: e.today[i] ?? 0 })).filter((p) => p.price >= low && p.price <= high);
  const profits = [...outline, ...today].map((p) => p.profit);
  const x = scaleLinear([Math.min(0, ...profits), Math.max(0, ...profits)], [26, width - 26]);
  const y = (p: Point) => axis.y(p.price);
  const shape = area<Point>().y(y).x0(x(0)).x1((p) => x(p.profit))(outline) ?? '';
  const path = (points: Point[]) => line<Point>().x((p) => x(p.profit)).y(y)(points) ?? '';
  const text = { paintOrder: 'stroke', stroke: 'var(--raised)', strokeWidth: 3, fontSize: 12 } as const;
  const legs = new Set(e.legs.map((l) => Number(l.contract.slice(13)) / 1000));
  const evens = e.evens.filter((v) => Number(v.from) >= low && Number(v.from) <= high);
  return (
    <svg role="img" width={width} height={height} aria-label={`Outline of the ${e.name}. ${e.tailAbove}. ${e.tailBelow}.`} className="absolute top-0 left-0">
      <defs>
        <Hatch id="loss" />
        <clipPath id="gain-side"><rect x={x(0)} y={0} width={width} height={height} /></clipPath>
        <clipPath id="loss-side"><rect x={0} y={0} width={x(0)} height={height} /></clipPath>
      </defs>
      <path d={shape} fill="var(--gain-soft)" clipPath="url(#gain-side)" />
      <path d={shape} fill="url(#loss)" clipPath="url(#loss-side)" />
      <line x1={x(0)} x2={x(0)} y1={0} y2={height} stroke="var(--ink2)" />
      <path data-testid="today-line" d={path(today)} fill="none" stroke="var(--brass)" strokeWidth={2} />
      <path data-testid="outline" d={path(outline)} fill="none" stroke="var(--ink)" strokeWidth={2} strokeLinejoin="round" />
      {evens.map((v) => (
        <g key={v.from}>
          <line x1={0} x2={width} y1={axis.y(Number(v.from))} y2={axis.y(Number(v.from))} stroke="var(--ink2)" strokeDasharray="1 4" />
          <text {...text} x={x(0) + 6} y={axis.y(Number(v.from)) - 4} fill="var(--ink)" fontWeight={600}>even {v.from}</text>
        </g>
      ))}
      {corners.filter((k) => legs.has(k.price) && k.price >= low && k.price <= high).map((k) => (
        <circle key={k.price} cx={x(k.profit)} cy={axis.y(k.price)} r={5} fill="var(--raised)" stroke="var(--ink)" strokeWidth={2} className="cursor-ns-resize touch-none"
          onPointerDown={(ev) => { onDragKink?.(k.price, ev); }}><title>drag to move the leg at {k.price}</title></circle>
      ))}
      <text {...text} x={width - 8} y={14} textAnchor="end" fill="var(--ink)">{e.tailAbove.replaceAll('.00', '')}</text>
      <text {...text} x={width - 8} y={height - 6} textAnchor="end" fill="var(--ink)">{e.tailBelow.replaceAll('.00', '')}</text>
    </svg>
  );
}

/** The scale over the picture: what its left and right end mean. */
export function OutlineHead({ evaluation: e }: { evaluation?: Evaluation }) {
  if (!e) return <span className="px-2 text-ink2">profit and loss of the draft, on the same price axis</span>;
  return (
    <span className="flex w-full justify-between px-2">
      <span className="text-loss">{e.least.unlimited ? 'loss: no limit' : `most to lose ${money(e.least.profit)}`}</span>
      <span className="text-ink2"><span className="text-ink">━</span> {e.estimate ? 'about, ' : ''}at {fixed(e.days, 0)} d <span className="text-brass">━</span> today</span>
      <span className="text-gain">{e.most.unlimited ? 'gain: no limit' : `most to make ${money(e.most.profit, true)}`}</span>
    </span>
  );
}
