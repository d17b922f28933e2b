import { scaleLinear } from 'd3-scale';
import { line } from 'd3-shape';
import { useRef, useState } from 'react';
import type { Expected } from '../../api/client';
import { HistoryPane } from '../../chart/HistoryPane';
import { dayMonth, percent } from '../../format';
import { label } from '../bench/plot';

const PAST = 0.42;
const BOTTOM = 22;
const EDGE = 10;
const LAWS = 96;
/** Part of a deviation beyond the third that the axis shows. */
const SPAN = 2.9;

export type Drawn = { low: number | null; high: number | null; date: string };

/** The past, the cone ahead and the region that is expected, on one price axis; both laws stand sideways at its date. A drag draws the region, arrows move it. */
export function ExpectPicture({
  e,
  symbol,
  drawn,
  width,
  height,
  onDraw,
}: {
  e: Expected;
  symbol: string;
  /** A region is expected; otherwise the cone alone is shown. */
  drawn: boolean;
  width: number;
  height: number;
  onDraw: (d: Drawn) => void;
}) {
  const past = Math.round(width * PAST);
  const ahead = width - past;
  const far = Math.max(e.days * 1.25, 30);
  const spread = Math.exp(SPAN * e.deviation);
  const y = scaleLinear([e.spot / spread, e.spot * spread], [height - BOTTOM, EDGE]);
  const x = scaleLinear([0, far], [0, ahead - LAWS]);
  const begin = Date.parse(`${e.at.slice(0, 10)}T12:00:00Z`);
  const dayOf = (date: string) =>
    Math.round((Date.parse(`${date}T12:00:00Z`) - begin) / 86_400_000);
  const svg = useRef<SVGSVGElement>(null);
  const [drag, setDrag] = useState<{ from: [number, number]; to: [number, number] }>();
  const place = (p: { clientX: number; clientY: number }): [number, number] => {
    const box = svg.current?.getBoundingClientRect();
    return [p.clientX - (box?.left ?? 0), p.clientY - (box?.top ?? 0)];
  };
  const nearest = (days: number) =>
    e.dates.reduce(
      (best, d) => (Math.abs(dayOf(d) - days) < Math.abs(dayOf(best) - days) ? d : best),
      e.dates[0] ?? e.date,
    );
  const end = () => {
    if (!drag) return;
    setDrag(undefined);
    const [[x0, y0], [x1, y1]] = [drag.from, drag.to];
    if (Math.abs(y1 - y0) < 6) return;
    const [top, bottom] = [Math.min(y0, y1), Math.max(y0, y1)];
    const open = { high: top < EDGE + 4, low: bottom > height - BOTTOM - 4 };
    if (open.high && open.low) return;
    onDraw({
      high: open.high ? null : y.invert(top),
      low: open.low ? null : y.invert(bottom),
      date: nearest(Math.max(1, x.invert(Math.max(x0, x1)))),
    });
  };
  const cone = (k: number) =>
    Array.from(
      { length: 25 },
      (_, i) =>
        `${i === 0 ? 'M' : 'L'}${x((far * i) / 24).toFixed(1)} ${y(e.spot * Math.exp(k * e.deviation * Math.sqrt((far * i) / 24 / Math.max(e.days, 1)))).toFixed(1)}`,
    ).join('');
  const most = Math.max(...e.density, ...(drawn ? e.ownDensity : []), 1e-12);
  const side = scaleLinear([0, most], [0, LAWS - 14]);
  const at = x(e.days);
  const sideways = (d: number[]) =>
    line<number>()
      .x((_, i) => at + side(d[i] ?? 0))
      .y((p) => y(p))(e.prices) ?? '';
  const box = drag
    ? {
        x: Math.min(drag.from[0], drag.to[0]),
        w: Math.abs(drag.to[0] - drag.from[0]),
        top: Math.min(drag.from[1], drag.to[1]),
        bottom: Math.max(drag.from[1], drag.to[1]),
      }
    : drawn
      ? {
          x: 0,
          w: at,
          top: e.high == null ? 0 : y(e.high),
          bottom: e.low == null ? height - BOTTOM : y(e.low),
        }
      : undefined;
  const ticks = y.ticks(7);
  const dates = x.ticks(5).filter((t) => t > 0);
  return (
    <div className="flex select-none" style={{ height }}>
      <div className="border-r border-hair" style={{ width: past }}>
        <HistoryPane
          symbol={symbol}
          level={e.spot}
          weekly={false}
          axis={{ height: height - BOTTOM, y: (p) => y(p) }}
          width={past - 1}
          strikes={[]}
          evens={[]}
        />
      </div>
      <svg
        ref={svg}
        role="application"
        tabIndex={0}
        aria-label={`Ahead of ${symbol}: ${drawn ? `the region on ${dayMonth(e.date)}, at ${percent(e.market, 0)} percent by the market` : 'no region is drawn yet'}. Up and down move it, with Shift they widen it, left and right change its date.`}
        width={ahead}
        height={height}
        className="block cursor-crosshair touch-none"
        onPointerDown={(p) => {
          p.currentTarget.setPointerCapture(p.pointerId);
          setDrag({ from: place(p), to: place(p) });
        }}
        onPointerMove={(p) => {
          if (drag) setDrag({ ...drag, to: place(p) });
        }}
        onPointerUp={end}
        onPointerCancel={() => {
          setDrag(undefined);
        }}
        onKeyDown={(k) => {
          const up = { ArrowUp: 1, ArrowDown: -1 }[k.key];
          const along = { ArrowRight: 1, ArrowLeft: -1 }[k.key];
          if (up === undefined && along === undefined) return;
          k.preventDefault();
          const low = drawn ? (e.low ?? null) : e.spot * Math.exp(-e.deviation);
          const high = drawn ? (e.high ?? null) : e.spot * Math.exp(e.deviation);
          if (along !== undefined) {
            const i = e.dates.indexOf(e.date);
            const next = e.dates[i < 0 ? 0 : i + along];
            if (next) onDraw({ low, high, date: next });
            return;
          }
          const step = Math.exp(0.05 * e.deviation * (up ?? 0));
          onDraw({
            low: low === null ? null : k.shiftKey ? low / step : low * step,
            high: high === null ? null : high * step,
            date: e.date,
          });
        }}
      >
        {ticks.map((t) => (
          <g key={t}>
            <line x1={0} x2={ahead} y1={y(t)} y2={y(t)} stroke="var(--hair)" />
            <text x={ahead - 3} y={y(t) - 3} textAnchor="end" fontSize={11} fill="var(--ink2)">
              {label(t, ticks)}
            </text>
          </g>
        ))}
        {box && (
          <rect
            data-testid="region"
            x={box.x}
            width={Math.max(1, box.w)}
            y={box.top}
            height={Math.max(1, box.bottom - box.top)}
            fill="var(--brass-fill)"
            fillOpacity={0.22}
            stroke="var(--brass)"
            strokeWidth={1.25}
          />
        )}
        {/* What runs out of the prices shown does not run over the dates below. */}
        <svg width={ahead} height={height - BOTTOM}>
          {[-2, -1, 1, 2].map((k) => (
            <path key={k} d={cone(k)} fill="none" stroke="var(--slate)" strokeDasharray="2 4" />
          ))}
        </svg>
        <line
          x1={0}
          x2={at}
          y1={y(e.spot)}
          y2={y(e.spot)}
          stroke="var(--ink)"
          strokeOpacity={0.4}
        />
        <line
          x1={at}
          x2={at}
          y1={0}
          y2={height - BOTTOM}
          stroke="var(--brass)"
          strokeDasharray="4 3"
        />
        <path d={sideways(e.density)} fill="none" stroke="var(--slate)" strokeWidth={1.5} />
        {drawn && (
          <path d={sideways(e.ownDensity)} fill="none" stroke="var(--brass)" strokeWidth={2} />
        )}
        {e.events.map((v) => (
          <text
            key={`${v.date} ${v.what}`}
            x={x(v.days)}
            y={12}
            textAnchor="middle"
            fontSize={12}
            fill={v.kind === 'news' ? 'var(--loss)' : 'var(--ink2)'}
          >
            {v.kind === 'news' ? '◆' : '◇'}
            <title>{`${v.what}, ${v.label}`}</title>
          </text>
        ))}
        {dates.map((t) => (
          <text
            key={t}
            x={x(t)}
            y={height - 7}
            textAnchor="middle"
            fontSize={11}
            fill="var(--ink2)"
            opacity={Math.abs(x(t) - at) < 44 ? 0 : 1}
          >
            {t} d
          </text>
        ))}
        <text
          x={at}
          y={height - 7}
          textAnchor="middle"
          fontSize={12}
          fontWeight={700}
          fill="var(--brass)"
        >
          {dayMonth(e.date)}
        </text>
      </svg>
    </div>
  );
}
