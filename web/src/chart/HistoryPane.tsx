import { useQuery } from '@tanstack/react-query';
import type { Stretch } from '../api/client';
import { historyQuery } from '../api/queries';
import { dayMonth, fixed } from '../format';

/** Part of the pane that lies ahead of now. */
export const AHEAD = 0.22;
export const BARS = 90;

/** Prices up the page, whatever stands beside. */
export type PriceAxis = { height: number; y: (price: number) => number };
type Props = {
  symbol: string;
  level: number;
  weekly: boolean;
  axis: PriceAxis;
  width: number;
  /** Where the cone ends: prices at −2, −1, +1, +2 deviations of an expiration, and its name. */
  ahead?: { bands: number[]; label: string };
  /** What runs through: strikes, break-evens, prices at entry. */
  strikes: number[];
  evens: number[];
  /** When a position was opened, as ISO dates. */
  entries?: string[];
  /** Volume at the foot; false where it stands elsewhere. */
  volume?: boolean;
  /** Legs for as long as they were held. */
  stretches?: Stretch[];
  /** So many bars. */
  count?: number;
};

/** Bars of the past on a price axis that others share, what is held or meant running through, and the cone to the expiration ahead. */
export function HistoryPane({
  symbol,
  level,
  weekly,
  axis,
  width,
  ahead,
  strikes,
  evens,
  entries = [],
  volume = true,
  stretches = [],
  count = BARS,
}: Props) {
  const history = useQuery(historyQuery(symbol, weekly, count));
  const bars = history.data?.bars ?? [];
  const now = width * (1 - (ahead ? AHEAD : 0.02));
  const step = (now - 8) / Math.max(1, bars.length);
  const x = (i: number) => 4 + (i + 0.5) * step;
  const most = Math.max(1, ...bars.map((b) => b.volume));
  const inside = (y: number) => y > 0 && y < axis.height;
  const own = stretches.filter((s) => s.strike == null);
  const place = new Map(bars.map((b, i) => [b.date, i]));
  const deviation = ahead ? Math.log((ahead.bands[2] ?? level) / level) : 0;
  const cone = (k: number) =>
    Array.from(
      { length: 21 },
      (_, i) =>
        `${i === 0 ? 'M' : 'L'}${(now + ((width - 6 - now) * i) / 20).toFixed(1)} ${axis.y(level * Math.exp(k * deviation * Math.sqrt(i / 20))).toFixed(1)}`,
    ).join('');
  const left = (date: string) => {
    const i = place.get(date) ?? bars.findIndex((b) => b.date >= date);
    return i < 0 ? undefined : x(i);
  };
  return (
    <svg
      role="img"
      aria-label={`${weekly ? 'Weekly' : 'Daily'} bars of ${symbol}${bars[0] ? ` since ${dayMonth(bars[0].date)} ${bars[0].date.slice(0, 4)}` : ''}`}
      width={width}
      height={axis.height}
      className="block"
    >
      {bars.map((b, i) => {
        const rose = b.close >= b.open;
        const [top, bottom] = [axis.y(b.high), axis.y(b.low)].sort((p, q) => p - q) as [
          number,
          number,
        ];
        const [open, close] = [axis.y(b.open), axis.y(b.close)];
        const tall = (b.volume / most) * 34;
        return (
          <g key={b.date}>
            <title>{`${dayMonth(b.date)}: ${fixed(b.open, 2)} to ${fixed(b.close, 2)}, ${fixed(b.low, 2)} to ${fixed(b.high, 2)}, ${fixed(b.volume, 0)} traded`}</title>
            {volume && (
              <rect
                x={x(i) - step * 0.35}
                width={Math.max(1, step * 0.7)}
                y={axis.height - tall}
                height={tall}
                fill="var(--hair)"
              />
            )}
            <line x1={x(i)} x2={x(i)} y1={top} y2={bottom} stroke="var(--ink2)" />
            <rect
              x={x(i) - step * 0.32}
              width={Math.max(1.5, step * 0.64)}
              y={Math.min(open, close)}
              height={Math.max(1, Math.abs(open - close))}
              fill={rose ? 'var(--raised)' : 'var(--ink2)'}
              stroke="var(--ink2)"
              strokeWidth={0.75}
            />
          </g>
        );
      })}
      {strikes.map(
        (k) =>
          inside(axis.y(k)) && (
            <line
              key={k}
              x1={0}
              x2={width}
              y1={axis.y(k)}
              y2={axis.y(k)}
              stroke="var(--brass)"
              strokeOpacity={0.55}
            />
          ),
      )}
      {evens.map(
        (p) =>
          inside(axis.y(p)) && (
            <line
              key={p}
              x1={0}
              x2={width}
              y1={axis.y(p)}
              y2={axis.y(p)}
              stroke="var(--ink2)"
              strokeDasharray="1 4"
            />
          ),
      )}
      {ahead &&
        [-2, -1, 1, 2].map((k) => (
          <path key={k} d={cone(k)} fill="none" stroke="var(--slate)" strokeDasharray="2 4" />
        ))}
      <line x1={now} x2={now} y1={0} y2={axis.height} stroke="var(--strong)" />
      {(history.data?.events ?? []).map((v) => {
        const at = left(v.date);
        return (
          at !== undefined && (
            <text
              key={`${v.date} ${v.what}`}
              x={at}
              y={12}
              textAnchor="middle"
              fontSize={12}
              fill={v.kind === 'news' ? 'var(--loss)' : 'var(--ink2)'}
            >
              {v.kind === 'news' ? '◆' : '◇'}
              <title>{`${v.what}, ${v.label}`}</title>
            </text>
          )
        );
      })}
      {ahead && (
        <text x={width - 4} y={12} textAnchor="end" fontSize={11} fill="var(--slate)">
          {ahead.label}
        </text>
      )}
      {entries.map((date) => {
        const at = left(date);
        return (
          at !== undefined && (
            <g key={date}>
              <line
                x1={at}
                x2={at}
                y1={16}
                y2={axis.height}
                stroke="var(--brass)"
                strokeDasharray="3 3"
              />
              <text x={at + 3} y={axis.height - 40} fontSize={11} fill="var(--brass)">
                opened {dayMonth(date)}
              </text>
            </g>
          )
        );
      })}
      {stretches.map((s) => {
        const first = bars[0]?.date ?? '';
        // What began before the bars has its beginning elsewhere.
        const begins = s.from.slice(0, 10) >= first;
        const from = begins ? (left(s.from.slice(0, 10)) ?? now) : 0;
        const to = s.to == null ? now : (left(s.to.slice(0, 10)) ?? now);
        // What has no strike, shares or a future, runs along the foot.
        const at = s.strike == null ? axis.height - 8 - 16 * own.indexOf(s) : axis.y(s.strike);
        if (!inside(at) || (s.to != null && s.to.slice(0, 10) < first)) return null;
        const bought = s.quantity > 0;
        return (
          <g key={`${s.contract} ${s.from}`} data-stretch={s.contract}>
            <title>{`${bought ? 'bought' : 'sold'} ${Math.abs(s.quantity)} × ${s.label}, ${dayMonth(s.from.slice(0, 10))} to ${s.to == null ? 'now' : dayMonth(s.to.slice(0, 10))}`}</title>
            <line
              x1={from}
              x2={to}
              y1={at}
              y2={at}
              stroke={bought ? 'var(--brass)' : 'var(--ink)'}
              strokeWidth={bought ? 2 : 3}
              strokeDasharray={bought ? '5 3' : undefined}
            />
            {begins && (
              <circle
                cx={from}
                cy={at}
                r={3.5}
                fill={bought ? 'var(--raised)' : 'var(--ink)'}
                stroke={bought ? 'var(--brass)' : 'var(--ink)'}
                strokeWidth={1.5}
              />
            )}
            {s.to != null && (
              <path
                d={`M${to - 3.5} ${at - 3.5}l7 7m-7 0l7 -7`}
                stroke="var(--ink)"
                strokeWidth={1.5}
              />
            )}
            <text
              x={from + 6}
              y={at - 5}
              fontSize={11}
              fill="var(--ink)"
              stroke="var(--ground)"
              strokeWidth={3}
              paintOrder="stroke"
            >
              {bought ? '+' : '−'}
              {Math.abs(s.quantity)} {s.label}
            </text>
          </g>
        );
      })}
      {history.isPending && (
        <text x={10} y={24} fontSize={12} fill="var(--ink2)">
          Reading the past
        </text>
      )}
    </svg>
  );
}
