import { scaleLinear } from 'd3-scale';
import { area, line } from 'd3-shape';
import { useState } from 'react';
import type { BenchAnswer } from '../../api/client';
import { Hatch } from '../../chart/glyph';
import { fixed, percent } from '../../format';
import { at, label } from './plot';

const LEFT = 64;
const BOTTOM = 24;
const SIGMAS = ['−2 σ', '−1 σ', '+1 σ', '+2 σ'];

type Props = { bench: BenchAnswer; width: number; height: number; most: number | undefined };

/** Price across, profit up: at the first expiration, today, and on the chosen date. Left and right move the read-out. */
export function OutlinePlot({ bench: b, width, height, most }: Props) {
  const [price, setPrice] = useState<number>();
  const [low, high] = [b.prices[0] ?? 0, b.prices.at(-1) ?? 1];
  const x = scaleLinear([low, high], [LEFT, width - 8]);
  const [chosen, today] = b.lines;
  const all = [b.outline, ...b.lines.slice(0, 2).map((l) => l.profit)].flat();
  const y = scaleLinear([Math.min(0, ...all), Math.max(0, ...all)], [height - BOTTOM - 8, 14]).nice();
  const [prices, profits] = [x.ticks(9), y.ticks(7)];
  const path = (values: number[]) => line<number>().x((_, i) => x(b.prices[i] ?? 0)).y((v) => y(v))(values) ?? '';
  const shape = area<number>().x((_, i) => x(b.prices[i] ?? 0)).y0(y(0)).y1((v) => y(v))(b.outline) ?? '';
  const read = price ?? b.spot;
  const step = (high - low) / 120;
  const told = (values: number[] | undefined) => { const v = values && at(b.prices, values, read); return v === undefined ? '' : fixed(v, 0, true); };
  const expired = at(b.prices, b.outline, read);
  return (
    <div>
      <p aria-live="polite" data-testid="read-out" className="flex gap-4 whitespace-nowrap px-2 pb-1 tabular-nums">
        <span>at <b>{fixed(read, 2)}</b> ({fixed((read / b.spot - 1) * 100, 1, true)} %)</span>
        <span><span aria-hidden className="text-ink">━ </span>{b.estimate ? 'about, ' : ''}at its end <b>{told(b.outline)}</b>{most !== undefined && most > 0 && expired !== undefined && expired > 0 && <span className="text-ink2"> {percent(expired / most, 0)} % of the most</span>}</span>
        <span><span aria-hidden className="text-brass">━ </span>today <b>{told(today?.profit)}</b></span>
        {chosen && chosen.days > 0.05 && <span><span aria-hidden className="text-slate">━ </span>in {fixed(chosen.days, 0)} d <b>{told(chosen.profit)}</b></span>}
      </p>
      <svg role="img" tabIndex={0} width={width} height={height} className="block"
        aria-label={`Profit against price. Break-evens ${b.evens.map((e) => fixed(e, 2)).join(', ') || 'none'}. Left and right arrows move the read-out.`}
        onPointerMove={(e) => { const box = e.currentTarget.getBoundingClientRect(); setPrice(Math.min(high, Math.max(low, x.invert(e.clientX - box.left)))); }}
        onPointerLeave={() => { setPrice(undefined); }}
        onKeyDown={(e) => { const by = e.key === 'ArrowRight' ? step : e.key === 'ArrowLeft' ? -step : 0; if (by !== 0) { e.preventDefault(); setPrice(Math.min(high, Math.max(low, read + by))); } }}>
        <defs>
          <Hatch id="bench-loss" />
          <clipPath id="bench-gain"><rect x={LEFT} y={0} width={width - LEFT} height={Math.max(0, y(0))} /></clipPath>
          <clipPath id="bench-lost"><rect x={LEFT} y={y(0)} width={width - LEFT} height={Math.max(0, height - BOTTOM - y(0))} /></clipPath>
        </defs>
        {profits.map((t) => <g key={t}><line x1={LEFT} x2={width - 8} y1={y(t)} y2={y(t)} stroke="var(--hair)" /><text x={LEFT - 8} y={y(t) + 4} textAnchor="end" fontSize={12} fill="var(--ink2)">{label(t, profits, true)}</text></g>)}
        {prices.map((t) => <g key={t}><line x1={x(t)} x2={x(t)} y1={height - BOTTOM} y2={height - BOTTOM + 4} stroke="var(--strong)" /><text x={x(t)} y={height - 6} textAnchor="middle" fontSize={12} fill="var(--ink2)">{label(t, prices)}</text></g>)}
        <path d={shape} fill="var(--gain-soft)" clipPath="url(#bench-gain)" />
        <path d={shape} fill="url(#bench-loss)" clipPath="url(#bench-lost)" />
        {b.bands.map((p, i) => p > low && p < high && <g key={SIGMAS[i]}><line x1={x(p)} x2={x(p)} y1={14} y2={height - BOTTOM} stroke="var(--slate)" strokeDasharray="2 4" /><text x={x(p)} y={11} textAnchor="middle" fontSize={11} fill="var(--slate)">{SIGMAS[i]}</text></g>)}
        <line x1={LEFT} x2={width - 8} y1={y(0)} y2={y(0)} stroke="var(--ink2)" />
        <line x1={x(b.spot)} x2={x(b.spot)} y1={14} y2={height - BOTTOM} stroke="var(--ink)" strokeOpacity={0.5} />
        {chosen && chosen.days > 0.05 && <path d={path(chosen.profit)} fill="none" stroke="var(--slate)" strokeWidth={1.5} />}
        {today && <path data-testid="bench-today" d={path(today.profit)} fill="none" stroke="var(--brass)" strokeWidth={2} />}
        <path data-testid="bench-outline" d={path(b.outline)} fill="none" stroke="var(--ink)" strokeWidth={2} strokeLinejoin="round" />
        {b.evens.map((e) => e > low && e < high && <circle key={e} cx={x(e)} cy={y(0)} r={3.5} fill="var(--raised)" stroke="var(--ink)" strokeWidth={1.5}><title>even at {fixed(e, 2)}</title></circle>)}
        {price !== undefined && <line x1={x(price)} x2={x(price)} y1={14} y2={height - BOTTOM} stroke="var(--ink)" strokeDasharray="1 3" />}
      </svg>
    </div>
  );
}
