import { scaleLinear } from 'd3-scale';
import type { BenchAnswer } from '../../api/client';
import { Hatch } from '../../chart/glyph';
import { fixed } from '../../format';
import { below, contour, type Segment } from './contour';
import { label } from './plot';

const LEFT = 60;
const BOTTOM = 26;
const colour = (level: number) => (level === 0 ? 'var(--ink)' : level > 0 ? 'var(--gain)' : 'var(--loss)');
type Props = { bench: BenchAnswer; width: number; height: number; onDate: (part: number) => void };

/** Days across, price up: lines of equal profit, the even one heavy, losses hatched, the cone of one and two deviations over it. A click sets the date. */
export function TimeMap({ bench: b, width, height, onDate }: Props) {
  const map = b.map;
  if (!map) return null;
  const [days, prices] = [map.days.at(-1) ?? 1, map.prices];
  const x = scaleLinear([0, days], [LEFT, width - 12]);
  const y = scaleLinear([prices[0] ?? 0, prices.at(-1) ?? 1], [height - BOTTOM, 12]);
  const all = map.profit.flat();
  // Round heights between the worst and the best on the map, without the even one.
  const levels = scaleLinear([Math.min(...all), Math.max(...all)], [0, 1]).ticks(8).filter((v) => v !== 0);
  const lines = [...levels, 0].map((level) => ({ level, segments: contour(map.days, prices, map.profit, level) }));
  const path = (segments: Segment[]) => segments.map(([x0, y0, x1, y1]) => `M${x(x0).toFixed(1)} ${y(y0).toFixed(1)}L${x(x1).toFixed(1)} ${y(y1).toFixed(1)}`).join('');
  const deviation = Math.log((b.bands[2] ?? b.spot) / b.spot) / Math.sqrt(Math.max(b.days, 1e-9));
  const cone = (k: number) => map.days.map((d, i) => `${i === 0 ? 'M' : 'L'}${x(d).toFixed(1)} ${y(b.spot * Math.exp(k * deviation * Math.sqrt(d))).toFixed(1)}`).join('');
  const [dayTicks, priceTicks] = [x.ticks(8), y.ticks(9)];
  const half = days / (map.days.length - 1) / 2;
  // A height is named where its line begins at the left: its highest and its lowest beginning, where they are apart.
  const named = (segments: Segment[]): [number, number][] => {
    const ends = segments.flatMap(([x0, y0, x1, y1]): [number, number][] => [[x0, y0], [x1, y1]]);
    const first = Math.min(...ends.map(([d]) => d));
    const begins = ends.filter(([d]) => d <= first + 1e-9).sort((p, q) => q[1] - p[1]);
    const [high, low] = [begins[0], begins.at(-1)];
    return high === undefined ? [] : low && y(low[1]) - y(high[1]) > 30 ? [high, low] : [high];
  };
  const chosen = b.lines[0];
  return (
    <svg role="img" width={width} height={height} className="block" aria-label={`Profit by date and price; even at the end at ${b.evens.map((e) => fixed(e, 2)).join(', ') || 'no price'}.`}
      onClick={(e) => { const box = e.currentTarget.getBoundingClientRect(); onDate(Math.min(1, Math.max(0, x.invert(e.clientX - box.left) / days))); }}>
      <defs><Hatch id="map-loss" /><clipPath id="map-box"><rect x={LEFT} y={12} width={width - 12 - LEFT} height={height - BOTTOM - 12} /></clipPath></defs>
      <g clipPath="url(#map-box)">
        {map.days.map((d, i) => below(prices, map.profit[i] ?? []).map(([from, to]) => (
          <rect key={`${d} ${from}`} x={x(d - half)} width={x(d + half) - x(d - half) + 0.5} y={y(to)} height={Math.max(0, y(from) - y(to))} fill="url(#map-loss)" />
        )))}
        {[-2, -1, 1, 2].map((k) => <path key={k} d={cone(k)} fill="none" stroke="var(--slate)" strokeDasharray="2 4" />)}
        {lines.map((l) => <path key={l.level} data-testid={l.level === 0 ? 'map-even' : undefined} d={path(l.segments)} fill="none" stroke={colour(l.level)} strokeWidth={l.level === 0 ? 2.5 : 1} />)}
        <line x1={x(0)} x2={x(days)} y1={y(b.spot)} y2={y(b.spot)} stroke="var(--ink)" strokeOpacity={0.5} />
        {chosen && <line x1={x(chosen.days)} x2={x(chosen.days)} y1={12} y2={height - BOTTOM} stroke="var(--brass)" strokeWidth={1.5} />}
      </g>
      {priceTicks.map((t) => <text key={t} x={LEFT - 8} y={y(t) + 4} textAnchor="end" fontSize={12} fill="var(--ink2)">{label(t, priceTicks)}</text>)}
      {dayTicks.map((t) => <text key={t} x={x(t)} y={height - 8} textAnchor="middle" fontSize={12} fill="var(--ink2)">{t === 0 ? 'now' : `${t} d`}</text>)}
      {lines.flatMap((l) => named(l.segments).map(([d, p]) => (
        <text key={`${l.level} ${p}`} x={x(d) + 6} y={y(p) + 4} fontSize={12} fontWeight={l.level === 0 ? 700 : 600} fill={colour(l.level)} stroke="var(--ground)" strokeWidth={4} paintOrder="stroke">{l.level === 0 ? 'even' : fixed(l.level, 0, true)}</text>
      )))}
    </svg>
  );
}
