import { scaleLinear } from 'd3-scale';
import { useState } from 'react';
import type { BookLooked } from '../../api/client';
import { contour } from '../../chart/contour';
import { ContourLegend, ContourNames, Contours, pathOf } from '../../chart/Contours';
import { Hatch } from '../../chart/glyph';
import { fixed } from '../../format';

const LEFT = 92;
const BOTTOM = 26;
type Props = {
  looked: BookLooked;
  before: BookLooked | undefined;
  width: number;
  height: number;
};

/** The value of a grid at a place, straight between its points. */
export function readGrid(xs: number[], ys: number[], values: number[][], x: number, y: number) {
  const cell = (all: number[], at: number): [number, number] => {
    const after = Math.min(
      all.length - 1,
      Math.max(
        1,
        all.findIndex((v) => v >= at),
      ),
    );
    const [from, to] = [all[after - 1] ?? 0, all[after] ?? 1];
    return [after, Math.min(1, Math.max(0, (at - from) / (to - from)))];
  };
  const [i, a] = cell(xs, x);
  const [j, b] = cell(ys, y);
  const v = (k: number, l: number) => values[k]?.[l] ?? 0;
  return (
    (1 - a) * ((1 - b) * v(i - 1, j - 1) + b * v(i - 1, j)) +
    a * ((1 - b) * v(i, j - 1) + b * v(i, j))
  );
}

/** Days across, the index up: lines of equal profit of the whole book, the even one heavy, losses hatched, the index's own cone over it. */
export function BookMap({ looked: b, before, width, height }: Props) {
  const [read, setRead] = useState<{ day: number; move: number }>({ day: 0, move: -5 });
  const d = b.drawn;
  if (!d || d.map.length === 0) return <div style={{ height }} className="bg-raised" />;
  const { ahead: days, across: moves, map } = d;
  const [last, low, high] = [days.at(-1) ?? 1, moves[0] ?? -1, moves.at(-1) ?? 1];
  const x = scaleLinear([0, last], [LEFT, width - 12]);
  const y = scaleLinear([low, high], [height - BOTTOM, 8]);
  const cone = (k: number) =>
    days
      .map((day, i) => {
        const move = 100 * (Math.exp(k * (b.volatility ?? 0) * Math.sqrt(day / 365)) - 1);
        return `${i === 0 ? 'M' : 'L'}${x(day).toFixed(1)} ${y(move).toFixed(1)}`;
      })
      .join('');
  const ghost = before?.drawn;
  const [dayTicks, moveTicks] = [x.ticks(8), y.ticks(9)];
  const at = {
    day: Math.min(last, Math.max(0, read.day)),
    move: Math.min(high, Math.max(low, read.move)),
  };
  const value = readGrid(days, moves, map, at.day, at.move);
  const then = ghost && readGrid(ghost.ahead, ghost.across, ghost.map, at.day, at.move);
  const none = Math.max(...map.flat().map(Math.abs)) < 1e-6;
  return (
    <>
      <p className="flex min-h-[18px] flex-wrap items-center gap-x-3 text-[12px] text-ink2">
        <ContourLegend
          hatch="book-loss"
          more={
            before
              ? [{ words: 'break-even before', stroke: 'var(--brass)', width: 2, dash: '6 4' }]
              : []
          }
        />
        <span aria-live="polite" data-testid="map-read" className="ml-auto text-ink">
          {b.index} {fixed(at.move, 1, true)} % in {fixed(at.day, 0)} d:{' '}
          <b className={value < 0 ? 'text-loss' : 'text-gain'}>{fixed(value, 0, true)}</b>
          {then !== undefined && (
            <span className="text-ink2"> instead of {fixed(then, 0, true)}</span>
          )}
        </span>
      </p>
      {none ? (
        <p style={{ height }} className="pt-8 text-center text-ink2">
          Nothing is switched in: the book makes and loses nothing.
        </p>
      ) : (
        <svg
          role="img"
          tabIndex={0}
          width={width}
          height={height}
          className="block"
          aria-label={`Profit of the book by days ahead and move of ${b.index}. Arrows move what is read.`}
          onPointerMove={(e) => {
            const box = e.currentTarget.getBoundingClientRect();
            setRead({
              day: x.invert(e.clientX - box.left),
              move: y.invert(e.clientY - box.top),
            });
          }}
          onKeyDown={(e) => {
            const [dx = 0, dy = 0] =
              {
                ArrowRight: [1, 0],
                ArrowLeft: [-1, 0],
                ArrowUp: [0, 0.5],
                ArrowDown: [0, -0.5],
              }[e.key] ?? [];
            if (dx === 0 && dy === 0) return;
            e.preventDefault();
            setRead({ day: at.day + dx, move: at.move + dy });
          }}
        >
          <defs>
            <Hatch id="book-loss" />
            <clipPath id="book-box">
              <rect x={LEFT} y={8} width={width - 12 - LEFT} height={height - BOTTOM - 8} />
            </clipPath>
          </defs>
          <g clipPath="url(#book-box)">
            <Contours
              xs={days}
              ys={moves}
              values={map}
              x={x}
              y={y}
              hatch="book-loss"
              evenId="book-even"
            />
            {[-2, -1, 1, 2].map((k) => (
              <path key={k} d={cone(k)} fill="none" stroke="var(--slate)" strokeDasharray="2 4" />
            ))}
            {ghost && ghost.map.length > 0 && (
              <path
                data-testid="book-even-before"
                d={pathOf(contour(ghost.ahead, ghost.across, ghost.map, 0), x, y)}
                fill="none"
                stroke="var(--brass)"
                strokeWidth={2}
                strokeDasharray="6 4"
              />
            )}
            <line
              x1={x(0)}
              x2={x(last)}
              y1={y(0)}
              y2={y(0)}
              stroke="var(--ink)"
              strokeOpacity={0.5}
            />
            <circle
              cx={x(at.day)}
              cy={y(at.move)}
              r={4}
              fill="var(--brass-fill)"
              stroke="var(--ink)"
            />
          </g>
          {moveTicks.map((t) => (
            <text
              key={t}
              x={LEFT - 8}
              y={y(t) + 4}
              textAnchor="end"
              fontSize={12}
              fill="var(--ink2)"
            >
              {`${fixed(b.price * (1 + t / 100), b.price < 1000 ? 1 : 0)}  ${fixed(t, 0, true)} %`}
            </text>
          ))}
          {dayTicks.map((t) => (
            <text
              key={t}
              x={x(t)}
              y={height - 8}
              textAnchor="middle"
              fontSize={12}
              fill="var(--ink2)"
            >
              {t === 0 ? 'now' : `${t} d`}
            </text>
          ))}
          <ContourNames xs={days} ys={moves} values={map} x={x} y={y} width={width} even="even" />
        </svg>
      )}
    </>
  );
}
