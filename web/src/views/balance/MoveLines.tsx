import { scaleLinear } from 'd3-scale';
import { area, line } from 'd3-shape';
import { useState } from 'react';
import type { BookLooked } from '../../api/client';
import { Hatch } from '../../chart/glyph';
import { fixed } from '../../format';
import { at as valueAt, label } from '../bench/plot';

const LEFT = 64;
const BOTTOM = 24;
type Props = {
  looked: BookLooked;
  before: BookLooked | undefined;
  width: number;
  height: number;
};
const called = (days: number, last: number | null | undefined) =>
  days === 0
    ? 'today'
    : last != null && Math.abs(days - last) < 1
      ? `at the last end, in ${fixed(days, 0)} d`
      : `in ${fixed(days, 0)} d`;

/** Profit of the whole book over the move of the index: today, and some days on. */
export function MoveLines({ looked: b, before, width, height }: Props) {
  const [read, setRead] = useState(-5);
  const d = b.drawn;
  if (!d || d.lines.length === 0) return <div style={{ height }} className="bg-raised" />;
  const moves = d.along;
  const [low, high] = [moves[0] ?? -1, moves.at(-1) ?? 1];
  const today = d.lines[0]?.profits ?? [];
  const was = before?.drawn?.lines[0]?.profits ?? [];
  const all = [...d.lines.flatMap((l) => l.profits), ...was];
  const x = scaleLinear([low, high], [LEFT, width - 10]);
  const y = scaleLinear(
    [Math.min(0, ...all), Math.max(1, ...all)],
    [height - BOTTOM - 6, 12],
  ).nice();
  const [across, profits] = [x.ticks(9), y.ticks(7)];
  const path = (values: number[]) =>
    line<number>()
      .x((_, i) => x(moves[i] ?? 0))
      .y((v) => y(v))(values) ?? '';
  const shape =
    area<number>()
      .x((_, i) => x(moves[i] ?? 0))
      .y0(y(0))
      .y1((v) => y(v))(today) ?? '';
  const at = Math.min(high, Math.max(low, read));
  const shade = (i: number) =>
    i === 0
      ? 'var(--brass)'
      : `color-mix(in srgb, var(--slate) ${Math.max(40, 100 - 18 * i)}%, var(--ground))`;
  return (
    <>
      <p
        aria-live="polite"
        data-testid="line-read"
        className="flex min-h-[18px] flex-wrap gap-x-4 text-[12px]"
      >
        <span>
          {b.index} {fixed(at, 1, true)} %, {fixed(b.price * (1 + at / 100), 2)}
        </span>
        {d.lines.map((l, i) => (
          <span key={l.days}>
            <span aria-hidden style={{ color: shade(i) }}>
              ━{' '}
            </span>
            {called(l.days, b.lastDays)} <b>{fixed(valueAt(moves, l.profits, at), 0, true)}</b>
          </span>
        ))}
        {was.length > 0 && (
          <span className="text-ink2">
            <span aria-hidden>┅ </span>today before <b>{fixed(valueAt(moves, was, at), 0, true)}</b>
          </span>
        )}
      </p>
      <svg
        role="img"
        tabIndex={0}
        width={width}
        height={height}
        className="block"
        aria-label={`Profit of the book over the move of ${b.index}. Left and right arrows move what is read.`}
        onPointerMove={(e) => {
          const box = e.currentTarget.getBoundingClientRect();
          setRead(x.invert(e.clientX - box.left));
        }}
        onKeyDown={(e) => {
          const by = e.key === 'ArrowRight' ? 0.5 : e.key === 'ArrowLeft' ? -0.5 : 0;
          if (by === 0) return;
          e.preventDefault();
          setRead(at + by);
        }}
      >
        <defs>
          <Hatch id="lines-loss" />
          <clipPath id="lines-lost">
            <rect x={LEFT} y={y(0)} width={width - LEFT} height={Math.max(0, height - y(0))} />
          </clipPath>
        </defs>
        {profits.map((t) => (
          <g key={t}>
            <line x1={LEFT} x2={width - 10} y1={y(t)} y2={y(t)} stroke="var(--hair)" />
            <text x={LEFT - 8} y={y(t) + 4} textAnchor="end" fontSize={12} fill="var(--ink2)">
              {label(t, profits, true)}
            </text>
          </g>
        ))}
        <path d={shape} fill="url(#lines-loss)" clipPath="url(#lines-lost)" />
        <line x1={LEFT} x2={width - 10} y1={y(0)} y2={y(0)} stroke="var(--ink)" />
        <line
          x1={x(0)}
          x2={x(0)}
          y1={8}
          y2={height - BOTTOM}
          stroke="var(--ink)"
          strokeOpacity={0.4}
        />
        {was.length > 0 && (
          <path
            d={path(was)}
            fill="none"
            stroke="var(--ink)"
            strokeOpacity={0.35}
            strokeDasharray="6 4"
          />
        )}
        {[...d.lines].reverse().map((l) => {
          const i = d.lines.indexOf(l);
          return (
            <path
              key={l.days}
              d={path(l.profits)}
              fill="none"
              stroke={shade(i)}
              strokeWidth={i === 0 ? 2 : 1.5}
            />
          );
        })}
        <line
          x1={x(at)}
          x2={x(at)}
          y1={8}
          y2={height - BOTTOM}
          stroke="var(--brass)"
          strokeDasharray="2 3"
        />
        {across
          .filter((t) => x(t) > LEFT + 16 && x(t) < width - 26)
          .map((t) => (
            <text
              key={t}
              x={x(t)}
              y={height - 7}
              textAnchor="middle"
              fontSize={12}
              fill="var(--ink2)"
            >
              {`${fixed(t, 0, true)} %`}
            </text>
          ))}
      </svg>
    </>
  );
}
