import { scaleLinear } from 'd3-scale';
import { area, line } from 'd3-shape';
import { useRef } from 'react';
import type { BenchAnswer } from '../../api/client';
import { Hatch } from '../../chart/glyph';
import { fixed, percent } from '../../format';
import { Button } from '../../ui/controls';
import { at, label } from './plot';
import { look, useScene } from './scene';

const LEFT = 64;
const BOTTOM = 24;
const SIGMAS = ['−2 σ', '−1 σ', '+1 σ', '+2 σ'];
/** Lines of further dates: lighter the farther. */
const shade = (i: number) =>
  `color-mix(in srgb, var(--slate) ${Math.max(35, 90 - 14 * i)}%, var(--ground))`;

/** Saves a picture as it stands, its colours written into it. */
function save(svg: SVGSVGElement | null, name: string) {
  if (!svg) return;
  const style = getComputedStyle(document.documentElement);
  const text = new XMLSerializer()
    .serializeToString(svg)
    .replace(/var\((--[a-z0-9-]+)\)/g, (_, key: string) => style.getPropertyValue(key).trim())
    .replace(
      '<svg ',
      `<svg font-family="sans-serif" style="background:${style.getPropertyValue('--ground').trim()}" `,
    );
  const link = document.createElement('a');
  link.href = URL.createObjectURL(new Blob([text], { type: 'image/svg+xml' }));
  link.download = `${name}.svg`;
  link.click();
  URL.revokeObjectURL(link.href);
}

type Props = {
  bench: BenchAnswer;
  ghost: BenchAnswer | undefined;
  width: number;
  height: number;
  name: string;
};

/** Price across, profit up: at the first expiration, today, and on the chosen dates. Left and right move the read-out. */
export function OutlinePlot({ bench: b, ghost, width, height, name }: Props) {
  const price = useScene((s) => s.price);
  const picture = useRef<SVGSVGElement>(null);
  const setPrice = (p: number | undefined) => {
    look({ price: p });
  };
  const [low, high] = [b.prices[0] ?? 0, b.prices.at(-1) ?? 1];
  const spot = b.evaluation.spot;
  const x = scaleLinear([low, high], [LEFT, width - 8]);
  const [chosen, today, ...others] = b.lines;
  const seen = ghost
    ? ghost.outline.filter((_, i) => {
        const p = ghost.prices[i] ?? 0;
        return p >= low && p <= high;
      })
    : [];
  const all = [b.outline, ...b.lines.map((l) => l.profit), seen].flat();
  const y = scaleLinear(
    [Math.min(0, ...all), Math.max(0, ...all)],
    [height - BOTTOM - 8, 16],
  ).nice();
  const [prices, profits] = [x.ticks(9), y.ticks(7)];
  const path = (values: number[], over = b.prices) =>
    line<number>()
      .x((_, i) => x(over[i] ?? 0))
      .y((v) => y(v))(values) ?? '';
  const shape =
    area<number>()
      .x((_, i) => x(b.prices[i] ?? 0))
      .y0(y(0))
      .y1((v) => y(v))(b.outline) ?? '';
  const read = Math.min(high, Math.max(low, price ?? spot));
  const step = (high - low) / 120;
  const told = (values: number[] | undefined) => {
    const v = values && at(b.prices, values, read);
    return v === undefined ? '' : fixed(v, 0, true);
  };
  const expired = at(b.prices, b.outline, read);
  const most = b.most.unlimited ? undefined : Number(b.most.profit);
  const below = at(b.prices, b.below, read) ?? 0;
  const g = b.greeks;
  const greek = (key: 'delta' | 'gamma' | 'theta' | 'vega', decimals: number) => {
    const v =
      g &&
      at(
        g.along,
        (g.net[0] ?? []).map((n) => n[key]),
        read,
      );
    return v === undefined || v === null ? '' : fixed(v, decimals, true);
  };
  const point = (e: React.PointerEvent<SVGSVGElement>) => {
    const box = e.currentTarget.getBoundingClientRect();
    setPrice(Math.min(high, Math.max(low, x.invert(e.clientX - box.left))));
  };
  return (
    <div>
      <div
        aria-live="polite"
        data-testid="read-out"
        className="flex flex-wrap gap-x-4 px-2 pb-1 tabular-nums"
      >
        <span>
          at <b>{fixed(read, 2)}</b> ({fixed((read / spot - 1) * 100, 1, true)} %)
        </span>
        <span>
          <span aria-hidden className="text-ink">
            ━{' '}
          </span>
          {b.evaluation.estimate ? 'about, ' : ''}at its end <b>{told(b.outline)}</b>
          {most !== undefined && most > 0 && expired !== undefined && expired > 0 && (
            <span className="text-ink2"> {percent(expired / most, 0)} % of max profit</span>
          )}
        </span>
        <span>
          <span aria-hidden className="text-brass">
            ━{' '}
          </span>
          today <b>{told(today?.profit)}</b>
        </span>
        {chosen && chosen.days > 0.05 && (
          <span>
            <span aria-hidden className="text-slate">
              ━{' '}
            </span>
            in {fixed(chosen.days, 0)} d <b>{told(chosen.profit)}</b>
          </span>
        )}
        <span className="text-ink2">
          ends below <b className="text-ink">{percent(below, 0)} %</b>, above{' '}
          <b className="text-ink">{percent(1 - below, 0)} %</b>
        </span>
        {chosen && (
          <span className="text-ink2">
            in {fixed(chosen.days, 0)} d Δ <b className="text-ink">{greek('delta', 1)}</b> Γ{' '}
            <b className="text-ink">{greek('gamma', 2)}</b> θ{' '}
            <b className="text-ink">{greek('theta', 1)}</b> vega{' '}
            <b className="text-ink">{greek('vega', 1)}</b>
          </span>
        )}
        <Button
          weight="quiet"
          className="ml-auto !h-5"
          onClick={() => {
            save(picture.current, name);
          }}
        >
          save as SVG
        </Button>
      </div>
      <svg
        ref={picture}
        xmlns="http://www.w3.org/2000/svg"
        role="img"
        tabIndex={0}
        width={width}
        height={height}
        className="block"
        aria-label={`Profit against price. Break-evens ${b.evens.map((e) => fixed(e, 2)).join(', ') || 'none'}. Left and right arrows move the read-out.`}
        onPointerMove={point}
        onPointerLeave={() => {
          setPrice(undefined);
        }}
        onKeyDown={(e) => {
          const by = e.key === 'ArrowRight' ? step : e.key === 'ArrowLeft' ? -step : 0;
          if (by !== 0) {
            e.preventDefault();
            setPrice(Math.min(high, Math.max(low, read + by)));
          }
        }}
      >
        <defs>
          <Hatch id="bench-loss" />
          <clipPath id="bench-gain">
            <rect x={LEFT} y={0} width={width - LEFT} height={Math.max(0, y(0))} />
          </clipPath>
          <clipPath id="bench-lost">
            <rect
              x={LEFT}
              y={y(0)}
              width={width - LEFT}
              height={Math.max(0, height - BOTTOM - y(0))}
            />
          </clipPath>
          <clipPath id="bench-box">
            <rect x={LEFT} y={0} width={width - LEFT} height={height - BOTTOM} />
          </clipPath>
        </defs>
        {profits.map((t) => (
          <g key={t}>
            <line x1={LEFT} x2={width - 8} y1={y(t)} y2={y(t)} stroke="var(--hair)" />
            <text x={LEFT - 8} y={y(t) + 4} textAnchor="end" fontSize={12} fill="var(--ink2)">
              {label(t, profits, true)}
            </text>
          </g>
        ))}
        {prices.map((t) => (
          <g key={t}>
            <line
              x1={x(t)}
              x2={x(t)}
              y1={height - BOTTOM}
              y2={height - BOTTOM + 4}
              stroke="var(--strong)"
            />
            <text x={x(t)} y={height - 6} textAnchor="middle" fontSize={12} fill="var(--ink2)">
              {label(t, prices)}
            </text>
          </g>
        ))}
        <path d={shape} fill="var(--gain-soft)" clipPath="url(#bench-gain)" />
        <path d={shape} fill="url(#bench-loss)" clipPath="url(#bench-lost)" />
        {b.bands.map(
          (p, i) =>
            p > low &&
            p < high && (
              <g key={SIGMAS[i]}>
                <line
                  x1={x(p)}
                  x2={x(p)}
                  y1={14}
                  y2={height - BOTTOM}
                  stroke="var(--slate)"
                  strokeDasharray="2 4"
                />
                <text x={x(p)} y={11} textAnchor="middle" fontSize={11} fill="var(--slate)">
                  {SIGMAS[i]}
                </text>
              </g>
            ),
        )}
        <line x1={LEFT} x2={width - 8} y1={y(0)} y2={y(0)} stroke="var(--ink2)" />
        <line
          x1={x(spot)}
          x2={x(spot)}
          y1={14}
          y2={height - BOTTOM}
          stroke="var(--ink)"
          strokeOpacity={0.5}
        />
        {ghost && (
          <path
            data-testid="bench-ghost"
            d={path(ghost.outline, ghost.prices)}
            clipPath="url(#bench-box)"
            fill="none"
            stroke="var(--ink)"
            strokeOpacity={0.3}
            strokeDasharray="5 4"
            strokeWidth={1.5}
          />
        )}
        {others.map((l, i) => (
          <g key={l.days}>
            <path d={path(l.profit)} fill="none" stroke={shade(i + 1)} strokeWidth={1} />
            <text
              x={width - 10}
              y={y(l.profit.at(-1) ?? 0) - 3}
              textAnchor="end"
              fontSize={11}
              fill="var(--slate)"
            >
              {fixed(l.days, 0)} d
            </text>
          </g>
        ))}
        {chosen && chosen.days > 0.05 && (
          <path
            data-testid="bench-date"
            d={path(chosen.profit)}
            fill="none"
            stroke="var(--slate)"
            strokeWidth={1.5}
          />
        )}
        {today && (
          <path
            data-testid="bench-today"
            d={path(today.profit)}
            fill="none"
            stroke="var(--brass)"
            strokeWidth={2}
          />
        )}
        <path
          data-testid="bench-outline"
          d={path(b.outline)}
          fill="none"
          stroke="var(--ink)"
          strokeWidth={2}
          strokeLinejoin="round"
        />
        {chosen &&
          chosen.days > 0.05 &&
          chosen.evens.map((e) => (
            <circle key={e} cx={x(e)} cy={y(0)} r={3} fill="var(--slate)">
              <title>{`break-even at ${fixed(e, 2)} in ${fixed(chosen.days, 0)} days`}</title>
            </circle>
          ))}
        {today?.evens.map((e) => (
          <circle key={e} cx={x(e)} cy={y(0)} r={3} fill="var(--brass)">
            <title>{`break-even at ${fixed(e, 2)} today`}</title>
          </circle>
        ))}
        {b.evens.map(
          (e) =>
            e > low &&
            e < high && (
              <circle
                key={e}
                cx={x(e)}
                cy={y(0)}
                r={3.5}
                fill="var(--raised)"
                stroke="var(--ink)"
                strokeWidth={1.5}
              >
                <title>{`break-even at ${fixed(e, 2)} at its end`}</title>
              </circle>
            ),
        )}
        {price !== undefined && price >= low && price <= high && (
          <line
            x1={x(price)}
            x2={x(price)}
            y1={14}
            y2={height - BOTTOM}
            stroke="var(--ink)"
            strokeDasharray="1 3"
          />
        )}
      </svg>
    </div>
  );
}
