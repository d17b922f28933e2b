import { useQuery } from '@tanstack/react-query';
import { scaleLinear } from 'd3-scale';
import { line } from 'd3-shape';
import type { ChainHead, Draft, Evaluation, Mark } from '../../api/client';
import { historyQuery } from '../../api/queries';
import { isOption, parts } from '../../drafts/contract';
import { dayMonth, fixed, percent } from '../../format';
import type { Axis } from './axis';
import { show, useLook } from './look';

/** Part of the pane that lies ahead of now. */
const AHEAD = 0.22;
const BARS = 90;

type Props = { head: ChainHead; mark: Mark | undefined; axis: Axis; width: number; draft: Draft | undefined; evaluation: Evaluation | undefined };

/** Bars of the past on the rows' own price axis, what the draft stands at running through, and the cone to the expiration ahead. */
export function HistoryPane({ head, mark, axis, width, draft, evaluation: e }: Props) {
  const weekly = useLook((s) => s.weekly);
  const history = useQuery(historyQuery(head.symbol, weekly, BARS));
  const bars = history.data?.bars ?? [];
  const now = width * (1 - AHEAD);
  const step = (now - 8) / Math.max(1, bars.length);
  const x = (i: number) => 4 + (i + 0.5) * step;
  const most = Math.max(1, ...bars.map((b) => b.volume));
  const inside = (y: number) => y > 0 && y < axis.height;
  const place = new Map(bars.map((b, i) => [b.date, i]));
  const strikes = [...new Set((draft?.legs ?? []).filter((l) => isOption(l.contract)).map((l) => parts(l.contract).strike))];
  const evens = (e?.evens ?? []).map((v) => Number(v.from));
  const deviation = mark ? Math.log((mark.bands[2] ?? head.level) / head.level) : 0;
  const cone = (k: number) => Array.from({ length: 21 }, (_, i) => `${i === 0 ? 'M' : 'L'}${(now + ((width - 6 - now) * i) / 20).toFixed(1)} ${axis.y(head.level * Math.exp(k * deviation * Math.sqrt(i / 20))).toFixed(1)}`).join('');
  const left = (date: string) => { const i = place.get(date) ?? bars.findIndex((b) => b.date >= date); return i < 0 ? undefined : x(i); };
  return (
    <svg role="img" aria-label={`${weekly ? 'Weekly' : 'Daily'} bars of ${head.symbol}${bars[0] ? ` since ${dayMonth(bars[0].date)} ${bars[0].date.slice(0, 4)}` : ''}`} width={width} height={axis.height} className="block">
      {bars.map((b, i) => {
        const rose = b.close >= b.open;
        const [top, bottom] = [axis.y(b.high), axis.y(b.low)].sort((p, q) => p - q) as [number, number];
        const [open, close] = [axis.y(b.open), axis.y(b.close)];
        const tall = (b.volume / most) * 34;
        return (
          <g key={b.date}>
            <title>{`${dayMonth(b.date)}: ${fixed(b.open, 2)} to ${fixed(b.close, 2)}, ${fixed(b.low, 2)} to ${fixed(b.high, 2)}, ${fixed(b.volume, 0)} traded`}</title>
            <rect x={x(i) - step * 0.35} width={Math.max(1, step * 0.7)} y={axis.height - tall} height={tall} fill="var(--hair)" />
            <line x1={x(i)} x2={x(i)} y1={top} y2={bottom} stroke="var(--ink2)" />
            <rect x={x(i) - step * 0.32} width={Math.max(1.5, step * 0.64)} y={Math.min(open, close)} height={Math.max(1, Math.abs(open - close))} fill={rose ? 'var(--raised)' : 'var(--ink2)'} stroke="var(--ink2)" strokeWidth={0.75} />
          </g>
        );
      })}
      {strikes.map((k) => inside(axis.y(k)) && <line key={k} x1={0} x2={width} y1={axis.y(k)} y2={axis.y(k)} stroke="var(--brass)" strokeOpacity={0.55} />)}
      {evens.map((p) => inside(axis.y(p)) && <line key={p} x1={0} x2={width} y1={axis.y(p)} y2={axis.y(p)} stroke="var(--ink2)" strokeDasharray="1 4" />)}
      {[-2, -1, 1, 2].map((k) => <path key={k} d={cone(k)} fill="none" stroke="var(--slate)" strokeDasharray="2 4" />)}
      <line x1={now} x2={now} y1={0} y2={axis.height} stroke="var(--strong)" />
      {(history.data?.events ?? []).map((v) => { const at = left(v.date); return at !== undefined && <text key={`${v.date} ${v.what}`} x={at} y={12} textAnchor="middle" fontSize={12} fill={v.kind === 'news' ? 'var(--loss)' : 'var(--ink2)'}>{v.kind === 'news' ? '◆' : '◇'}<title>{`${v.what}, ${v.label}`}</title></text>; })}
      {mark && <text x={width - 4} y={12} textAnchor="end" fontSize={11} fill="var(--slate)">{mark.label}</text>}
      {history.isPending && <text x={10} y={24} fontSize={12} fill="var(--ink2)">Reading the past</text>}
    </svg>
  );
}

/** Over the bars: days or weeks. */
export function HistoryHead() {
  const weekly = useLook((s) => s.weekly);
  return (
    <span className="flex w-full items-center gap-2 px-2">
      <button type="button" aria-pressed={weekly} onClick={() => { show({ weekly: !weekly }); }} className="font-semibold text-brass underline-offset-2 hover:underline">{weekly ? 'weeks' : 'days'}</button>
      <span className="text-ink2">past and, dotted, what is expected</span>
    </span>
  );
}

/** Under the bars: implied and realised volatility of the same days. */
export function HistoryFoot({ head, width }: { head: ChainHead; width: number }) {
  const weekly = useLook((s) => s.weekly);
  const bars = useQuery(historyQuery(head.symbol, weekly, BARS)).data?.bars ?? [];
  const now = width * (1 - AHEAD);
  const x = scaleLinear([0, Math.max(1, bars.length - 1)], [6, now - 4]);
  const all = bars.flatMap((b) => [b.implied, b.realised]).filter((v) => v != null);
  const y = scaleLinear([Math.min(...all, 1), Math.max(...all, 0)], [52, 8]);
  const path = (of: (b: (typeof bars)[number]) => number | null | undefined) => line<(typeof bars)[number]>().defined((b) => of(b) != null).x((_, i) => x(i)).y((b) => y(of(b) ?? 0))(bars) ?? '';
  return (
    <div className="sticky bottom-0 z-20 h-[60px] border-t border-hair bg-raised text-[11px] leading-[14px]">
      <svg role="img" aria-label="Implied and realised volatility of the same days" width={width} height={60} className="absolute">
        <path d={path((b) => b.realised)} fill="none" stroke="var(--slate)" strokeWidth={1.25} />
        <path d={path((b) => b.implied)} fill="none" stroke="var(--brass)" strokeWidth={1.75} />
      </svg>
      <div className="absolute top-1 right-1 text-right" style={{ width: width * AHEAD + 16 }}>
        <span className="text-brass">IV {percent(head.vol30, 1)}</span><br /><span className="text-slate">real {percent(head.realised, 1)}</span><br />
        <span className="text-ink2">rank {fixed(head.rank, 0)} · pct {fixed(head.percentile, 0)}</span>
      </div>
    </div>
  );
}
