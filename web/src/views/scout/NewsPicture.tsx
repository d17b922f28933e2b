import { scaleLinear, scalePoint } from 'd3-scale';
import type { News } from '../../api/client';
import { dayMonth, fixed, percent } from '../../format';

const LEFT = 46;
const BOTTOM = 20;

/** Each past move as a mark against the band of one and two deviations that was priced for it, oldest first; the one that is priced now at the right. */
export function NewsPicture({
  news,
  width,
  height = 190,
}: {
  news: News;
  width: number;
  height?: number;
}) {
  const past = [...news.past].reverse();
  const next = news.next;
  const now = next?.priced?.deviation;
  const names = [...past.map((p) => p.before), ...(now == null ? [] : ['next'])];
  const most = Math.max(
    0.01,
    ...past.flatMap((p) => [Math.abs(p.moved), 2 * (p.deviation ?? 0)]),
    2 * (now ?? 0),
  );
  const x = scalePoint(names, [LEFT, width - 8]).padding(0.6);
  const y = scaleLinear([-most * 1.05, most * 1.05], [height - BOTTOM, 6]);
  const half = Math.min(13, Math.max(3, x.step() * 0.3));
  const every = Math.ceil(names.length / Math.max(1, (width - LEFT) / 52));
  const band = (at: number, d: number, ahead: boolean) =>
    [2, 1].map((k) => (
      <rect
        key={k}
        x={at - half}
        width={2 * half}
        y={y(Math.exp(k * d) - 1)}
        height={Math.max(1, y(Math.exp(-k * d) - 1) - y(Math.exp(k * d) - 1))}
        fill={ahead ? 'var(--brass-fill)' : 'var(--slate)'}
        fillOpacity={k === 1 ? 0.3 : 0.14}
      />
    ));
  return (
    <svg
      role="img"
      width={width}
      height={height}
      className="block"
      aria-label={`Past moves against what was priced: ${news.outside} of ${news.count} lay outside one deviation${now == null ? '' : `; one deviation priced now is ${percent(now)} percent`}`}
    >
      {y.ticks(5).map((t) => (
        <g key={t}>
          <line
            x1={LEFT}
            x2={width - 4}
            y1={y(t)}
            y2={y(t)}
            stroke={t === 0 ? 'var(--strong)' : 'var(--hair)'}
          />
          <text x={LEFT - 5} y={y(t) + 4} textAnchor="end" fontSize={11} fill="var(--ink2)">
            {percent(t, 0)} %
          </text>
        </g>
      ))}
      {past.map((p, i) => {
        const at = x(p.before) ?? 0;
        return (
          <g key={p.before}>
            <title>{`${dayMonth(p.date)} ${p.date.slice(0, 4)}, ${p.what}: ${fixed(100 * p.moved, 1, true)} %${p.deviation == null ? '' : `, priced ${percent(p.deviation)} %, place ${percent(p.place, 0)}`}`}</title>
            {p.deviation != null && band(at, p.deviation, false)}
            <circle
              cx={at}
              cy={y(p.moved)}
              r={3.5}
              fill={p.outside === true ? 'var(--ink)' : 'var(--ground)'}
              stroke="var(--ink)"
              strokeWidth={1.5}
            />
            {(past.length - 1 - i) % every === 0 && (
              <text x={at} y={height - 5} textAnchor="middle" fontSize={10.5} fill="var(--ink2)">
                {dayMonth(p.date).slice(-3)} {p.date.slice(2, 4)}
              </text>
            )}
          </g>
        );
      })}
      {now != null && (
        <g>
          <title>{`${next?.what ?? ''}: one deviation priced ${percent(now)} %`}</title>
          {band(x('next') ?? 0, now, true)}
          <text
            x={x('next')}
            y={height - 5}
            textAnchor="middle"
            fontSize={10.5}
            fontWeight={700}
            fill="var(--brass)"
          >
            next
          </text>
        </g>
      )}
    </svg>
  );
}
