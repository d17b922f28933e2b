import { scaleLinear, scaleSqrt } from 'd3-scale';
import { useEffect, useRef, useState } from 'react';
import type { ChainHead, Mark } from '../../api/client';
import { draftOf } from '../../drafts/answer';
import { isOption, keyOf } from '../../drafts/contract';
import { useDrafts } from '../../drafts/store';
import { fixed, percent } from '../../format';
import { useLook } from './look';

const HEIGHT = 74;
const LINE = 30;
const LABEL = 58;

/** Which marks carry a label: the chosen one, those with legs, then monthlies before others, near before far. */
function labelled(marks: Mark[], x: (m: Mark) => number, first: (m: Mark) => boolean): Set<string> {
  const rank = (m: Mark) => (first(m) ? 0 : m.cycle === 'weekly' ? 2 : 1);
  const taken: number[] = [];
  const out = new Set<string>();
  for (const m of [...marks].sort((a, b) => rank(a) - rank(b) || a.days - b.days)) {
    if (taken.some((t) => Math.abs(t - x(m)) < LABEL)) continue;
    taken.push(x(m));
    out.add(m.key);
  }
  return out;
}

type Props = {
  head: ChainHead;
  open: string[];
  onChoose: (key: string, under: boolean) => void;
};
/** Height of the term structure under the line. */
const TERM = 64;

/** The volatility of each expiration under its place on the line; a point chooses it as its mark does. */
function Term({
  marks,
  x,
  width,
  chosen,
}: {
  marks: Mark[];
  x: (m: Mark) => number;
  width: number;
  chosen: string | undefined;
}) {
  const vols = marks.map((m) => m.vol);
  const y = scaleLinear([Math.min(...vols), Math.max(...vols)], [TERM - 12, 12]).nice(2);
  const ticks = y.ticks(2);
  return (
    <svg
      role="img"
      aria-label="Term structure: volatility at the money by expiration"
      width={width}
      height={TERM}
      className="pointer-events-none absolute left-0 z-20"
      style={{ top: HEIGHT }}
    >
      {ticks.map((t) => (
        <g key={t}>
          <line x1={0} x2={width} y1={y(t)} y2={y(t)} stroke="var(--hair)" />
          <text x={width - 2} y={y(t) - 2} textAnchor="end" fontSize={11} fill="var(--ink2)">
            {percent(t, 0)} %
          </text>
        </g>
      ))}
      <path
        data-testid="term-line"
        d={marks
          .map((m, i) => `${i === 0 ? 'M' : 'L'}${x(m).toFixed(1)} ${y(m.vol).toFixed(1)}`)
          .join('')}
        fill="none"
        stroke="var(--brass)"
        strokeWidth={1.5}
      />
      {marks.map((m) => (
        <circle
          key={m.key}
          cx={x(m)}
          cy={y(m.vol)}
          r={m.key === chosen ? 4.5 : 3}
          fill={m.key === chosen ? 'var(--brass)' : 'var(--raised)'}
          stroke="var(--brass)"
        >
          <title>{`${m.label}: ${percent(m.vol)} %`}</title>
        </circle>
      ))}
    </svg>
  );
}

/** Time on one line, square-root scale: expirations at their true place, events between them, legs hanging. */
export function Ribbon({ head, open, onChoose }: Props) {
  // The expiration of each leg: as text it is the same while only strikes change.
  const ends = useDrafts((s) =>
    (draftOf(s, head.symbol)?.legs ?? [])
      .filter((l) => isOption(l.contract))
      .map((l) => keyOf(l.contract))
      .join('|'),
  );
  const hung = (m: Mark) => ends.split('|').filter((key) => key === m.key).length;
  const { term, hidden } = useLook();
  const chosen = open[0];
  const box = useRef<HTMLDivElement>(null);
  const [width, setWidth] = useState(1180);
  useEffect(() => {
    if (!box.current) return;
    const watch = new ResizeObserver(([e]) => {
      if (e) setWidth(e.contentRect.width);
    });
    watch.observe(box.current);
    return () => {
      watch.disconnect();
    };
  }, []);
  const all = head.marks;
  const marks = all.filter((m) => !hidden.includes(m.cycle) || open.includes(m.key) || hung(m) > 0);
  const last = all.at(-1)?.days ?? 1;
  const scale = scaleSqrt([0, Math.max(1, last)], [14, width - 40]);
  const x = (m: Mark) => scale(m.days) + (m.amSettled ? -3 : 0);
  const shown = labelled(marks, x, (m) => open.includes(m.key) || hung(m) > 0);
  const events = head.events.filter((e) => e.days <= last);
  return (
    <div
      ref={box}
      role="group"
      aria-label="Expirations"
      data-walk="ribbon"
      className="relative mx-4 mt-1"
      style={{ height: HEIGHT + (term ? TERM : 0) }}
    >
      {term && <Term marks={marks} x={x} width={width} chosen={chosen} />}
      <div
        aria-hidden
        className="absolute inset-x-0 border-t border-strong"
        style={{ top: LINE }}
      />
      <span
        aria-hidden
        className="absolute -translate-x-1/2 text-[11px] text-ink2"
        style={{ left: scale(0), top: LINE + 4 }}
      >
        now
      </span>
      {events.map((e) => (
        <span
          key={`${e.date} ${e.what}`}
          title={`${e.what}, ${e.label}`}
          className={`absolute z-20 -translate-x-1/2 text-[15px] leading-none ${e.kind === 'news' ? 'text-loss' : 'text-ink2'}`}
          style={{ left: scale(e.days), top: LINE - 8 }}
        >
          <span aria-hidden>{e.kind === 'news' ? '◆' : '◇'}</span>
          <span className="sr-only">
            {e.what} on {e.label}
          </span>
        </span>
      ))}
      {marks.map((m) => {
        const on = open.includes(m.key);
        const own = hung(m);
        const words = `${m.label}, ${m.days} days, ${m.cycle}${m.amSettled ? ', settles at the opening' : ''}, volatility ${percent(m.vol)} %, expected move ${fixed(m.expectedMove, 2)}`;
        return (
          <button
            key={m.key}
            type="button"
            aria-pressed={on}
            aria-label={shown.has(m.key) ? undefined : words}
            title={`${words}; with Shift, its rows open under the others`}
            onClick={(e) => {
              onChoose(m.key, e.shiftKey);
            }}
            className={`absolute top-0 -translate-x-1/2 rounded text-center text-[11px] leading-[13px] ${shown.has(m.key) ? 'w-[58px]' : 'w-3'} ${on ? 'z-10 border border-brass bg-brass-soft text-brass' : 'border border-transparent hover:bg-warm'}`}
            style={{ left: x(m), height: HEIGHT + (term ? TERM : 0) }}
          >
            {shown.has(m.key) && (
              <span className="absolute inset-x-0 top-1 font-semibold">{m.days} d</span>
            )}
            <span
              aria-hidden
              className={`absolute left-1/2 -translate-x-1/2 ${on ? 'w-[3px] bg-brass' : m.cycle === 'weekly' ? 'w-px bg-strong' : 'w-[2px] bg-ink2'}`}
              style={{ top: LINE - 9, height: 18 }}
            />
            {shown.has(m.key) && (
              <span
                className={`absolute inset-x-0 ${on ? '' : 'text-ink2'}`}
                style={{ top: LINE + 10 }}
              >
                {m.label}
                {m.amSettled ? ' am' : ''}
                <br />
                {percent(m.vol)} %
                <span className="sr-only">
                  {' '}
                  volatility, {m.cycle}, expected move {fixed(m.expectedMove, 2)}
                </span>
              </span>
            )}
            {own > 0 && (
              <span className="absolute -right-1.5 -top-0.5 rounded bg-brass px-1 text-[10px] leading-[13px] font-semibold text-on-brass">
                {own}
              </span>
            )}
          </button>
        );
      })}
    </div>
  );
}
