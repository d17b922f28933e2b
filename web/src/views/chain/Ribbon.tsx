import { scaleSqrt } from 'd3-scale';
import { useEffect, useRef, useState } from 'react';
import type { ChainHead, Leg, Mark } from '../../api/client';
import { isOption, keyOf } from '../../drafts/contract';
import { fixed, percent } from '../../format';

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

type Props = { head: ChainHead; chosen: string | undefined; legs: Leg[]; onChoose: (key: string) => void };

/** Time on one line, square-root scale: expirations at their true place, events between them, legs hanging. */
export function Ribbon({ head, chosen, legs, onChoose }: Props) {
  const box = useRef<HTMLDivElement>(null);
  const [width, setWidth] = useState(1180);
  useEffect(() => {
    if (!box.current) return;
    const watch = new ResizeObserver(([e]) => { if (e) setWidth(e.contentRect.width); });
    watch.observe(box.current);
    return () => { watch.disconnect(); };
  }, []);
  const last = head.marks.at(-1)?.days ?? 1;
  const scale = scaleSqrt([0, Math.max(1, last)], [14, width - 40]);
  const x = (m: Mark) => scale(m.days) + (m.amSettled ? -3 : 0);
  const hung = (m: Mark) => legs.filter((l) => isOption(l.contract) && keyOf(l.contract) === m.key);
  const shown = labelled(head.marks, x, (m) => m.key === chosen || hung(m).length > 0);
  const events = head.events.filter((e) => e.days <= last);
  return (
    <div ref={box} role="group" aria-label="Expirations" className="relative mx-4 mt-1" style={{ height: HEIGHT }}>
      <div aria-hidden className="absolute inset-x-0 border-t border-strong" style={{ top: LINE }} />
      <span aria-hidden className="absolute -translate-x-1/2 text-[11px] text-ink2" style={{ left: scale(0), top: LINE + 4 }}>now</span>
      {events.map((e) => (
        <span key={`${e.date} ${e.what}`} title={`${e.what}, ${e.label}`} className={`absolute z-20 -translate-x-1/2 text-[15px] leading-none ${e.kind === 'news' ? 'text-loss' : 'text-ink2'}`} style={{ left: scale(e.days), top: LINE - 8 }}>
          <span aria-hidden>{e.kind === 'news' ? '◆' : '◇'}</span><span className="sr-only">{e.what} on {e.label}</span>
        </span>
      ))}
      {head.marks.map((m) => {
        const on = m.key === chosen;
        const own = hung(m);
        const words = `${m.label}, ${m.days} days, ${m.cycle}${m.amSettled ? ', settles at the opening' : ''}, volatility ${percent(m.vol)} %, expected move ${fixed(m.expectedMove, 2)}`;
        return (
          <button key={m.key} type="button" aria-pressed={on} aria-label={shown.has(m.key) ? undefined : words} title={words} onClick={() => { onChoose(m.key); }}
            className={`absolute top-0 -translate-x-1/2 rounded text-center text-[11px] leading-[13px] ${shown.has(m.key) ? 'w-[58px]' : 'w-3'} ${on ? 'z-10 border border-brass bg-brass-soft text-brass' : 'border border-transparent hover:bg-warm'}`}
            style={{ left: x(m), height: HEIGHT }}>
            {shown.has(m.key) && <span className="absolute inset-x-0 top-1 font-semibold">{m.days} d</span>}
            <span aria-hidden className={`absolute left-1/2 -translate-x-1/2 ${on ? 'w-[3px] bg-brass' : m.cycle === 'weekly' ? 'w-px bg-strong' : 'w-[2px] bg-ink2'}`} style={{ top: LINE - 9, height: 18 }} />
            {shown.has(m.key) && (
              <span className={`absolute inset-x-0 ${on ? '' : 'text-ink2'}`} style={{ top: LINE + 10 }}>
                {m.label}{m.amSettled ? ' am' : ''}<br />{percent(m.vol)} %<span className="sr-only"> volatility, {m.cycle}, expected move {fixed(m.expectedMove, 2)}</span>
              </span>
            )}
            {own.length > 0 && <span className="absolute -right-1.5 -top-0.5 rounded bg-brass px-1 text-[10px] leading-[13px] font-semibold text-on-brass">{own.length}</span>}
          </button>
        );
      })}
    </div>
  );
}
