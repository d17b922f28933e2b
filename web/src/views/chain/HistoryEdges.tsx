import { useQuery } from '@tanstack/react-query';
import { scaleLinear } from 'd3-scale';
import { line } from 'd3-shape';
import type { ChainHead } from '../../api/client';
import { historyQuery } from '../../api/queries';
import { AHEAD, BARS } from '../../chart/HistoryPane';
import { fixed, percent } from '../../format';
import { show, useLook } from './look';

/** Over the bars: days or weeks. */
export function HistoryHead() {
  const weekly = useLook((s) => s.weekly);
  return (
    <span className="flex w-full items-center gap-2 px-2">
      <button
        type="button"
        aria-pressed={weekly}
        onClick={() => {
          show({ weekly: !weekly });
        }}
        className="font-semibold text-brass underline-offset-2 hover:underline"
      >
        {weekly ? 'weeks' : 'days'}
      </button>
      <span className="text-ink2">past and, dotted, what is expected</span>
    </span>
  );
}

/** Under the bars: volume, implied and realised volatility of the same days. */
export function HistoryFoot({ head, width }: { head: ChainHead; width: number }) {
  const weekly = useLook((s) => s.weekly);
  const bars = useQuery(historyQuery(head.symbol, weekly, BARS)).data?.bars ?? [];
  const now = width * (1 - AHEAD);
  const x = scaleLinear([0, Math.max(1, bars.length - 1)], [6, now - 4]);
  const most = Math.max(1, ...bars.map((b) => b.volume));
  const all = bars.flatMap((b) => [b.implied, b.realised]).filter((v) => v != null);
  const y = scaleLinear([Math.min(...all, 1), Math.max(...all, 0)], [52, 8]);
  const path = (of: (b: (typeof bars)[number]) => number | null | undefined) =>
    line<(typeof bars)[number]>()
      .defined((b) => of(b) != null)
      .x((_, i) => x(i))
      .y((b) => y(of(b) ?? 0))(bars) ?? '';
  return (
    <div className="sticky bottom-0 z-20 h-[60px] border-t border-hair bg-raised text-[11px] leading-[14px]">
      <svg
        role="img"
        aria-label="Volume, implied and realised volatility of the same days"
        width={width}
        height={60}
        className="absolute"
      >
        {bars.map((b, i) => {
          const tall = (b.volume / most) * 30;
          return (
            <rect
              key={b.date}
              x={x(i) - 1}
              width={2.2}
              y={59 - tall}
              height={tall}
              fill="var(--hair)"
            />
          );
        })}
        <path d={path((b) => b.realised)} fill="none" stroke="var(--slate)" strokeWidth={1.25} />
        <path d={path((b) => b.implied)} fill="none" stroke="var(--brass)" strokeWidth={1.75} />
      </svg>
      <div className="absolute top-1 right-1 text-right" style={{ width: width * AHEAD + 16 }}>
        <span className="text-brass">IV {percent(head.vol30, 1)}</span>
        <br />
        <span className="text-slate">real {percent(head.realised, 1)}</span>
        <br />
        {head.rank != null && (
          <span className="text-ink2">
            rank {fixed(head.rank, 0)} · pct {fixed(head.percentile, 0)}
          </span>
        )}
      </div>
    </div>
  );
}
