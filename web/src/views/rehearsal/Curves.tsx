import { scaleLinear } from 'd3-scale';
import { curveLinear, curveStepAfter, line } from 'd3-shape';
import { dayMonth, fixed, longDate } from '../../format';

export type Curve = {
  name: string;
  points: { at: string; value: number }[];
  /** Moments at which something was decided. */
  marks?: { at: string; what: string }[];
};

const H = 190;
const LEFT = 60;
/** Most letters of a name at the end of its curve. */
const MOST = 34;
const DASHES = ['', '7 3', '2 3', '9 3 2 3', '12 4', '4 6'];
const time = (at: string) => Date.parse(`${at.slice(0, 10)}T00:00:00Z`);

/** Values over time on one axis of days, each with its own dash and name. */
export function Curves({
  curves,
  label,
  width,
  steps = false,
}: {
  curves: Curve[];
  label: string;
  width: number;
  /** Each value stands until the next. */
  steps?: boolean;
}) {
  const all = curves.flatMap((c) => c.points);
  if (all.length < 2) return null;
  const times = all.map((p) => time(p.at));
  const values = all.map((p) => p.value);
  const [least, most] = [Math.min(...values), Math.max(...values)];
  // What never moves stands in the middle.
  const room = most > least ? 0 : Math.max(1, 0.02 * Math.abs(most));
  const [low, high] = [least - room, most + room];
  // Room for the longest name at the end of its curve.
  const longest = Math.max(...curves.map((c) => Math.min(MOST, c.name.length)));
  const right = width - (longest === 0 ? 10 : 14 + 6.2 * longest);
  const x = scaleLinear([Math.min(...times), Math.max(...times)], [LEFT, right]);
  const y = scaleLinear([low, high], [H - 18, 10]);
  return (
    <svg role="img" aria-label={label} width={width} height={H} className="block">
      {y.ticks(5).map((v) => (
        <g key={v}>
          <line
            x1={LEFT}
            x2={right}
            y1={y(v)}
            y2={y(v)}
            stroke={v === 0 ? 'var(--strong)' : 'var(--hair)'}
          />
          <text x={LEFT - 6} y={y(v) + 4} fontSize={11} textAnchor="end" fill="var(--ink2)">
            {fixed(v, 0)}
          </text>
        </g>
      ))}
      {curves.map((c, i) => {
        const last = c.points.at(-1);
        return (
          <g key={c.name}>
            <path
              d={
                line<Curve['points'][number]>()
                  .x((p) => x(time(p.at)))
                  .y((p) => y(p.value))
                  .curve(steps ? curveStepAfter : curveLinear)
                  .digits(1)(c.points) ?? ''
              }
              fill="none"
              stroke={i === 0 ? 'var(--ink)' : i % 2 === 1 ? 'var(--brass)' : 'var(--slate)'}
              strokeWidth={1.6}
              strokeDasharray={DASHES[i % DASHES.length]}
            />
            {(c.marks ?? []).map((m) => {
              const point = c.points.findLast((p) => p.at.slice(0, 10) <= m.at.slice(0, 10));
              return (
                <circle
                  key={`${m.at} ${m.what}`}
                  cx={x(time(m.at))}
                  cy={y(point?.value ?? c.points[0]?.value ?? 0)}
                  r={3.5}
                  fill="var(--raised)"
                  stroke="var(--ink)"
                >
                  <title>{`${dayMonth(m.at.slice(0, 10))}: ${m.what}`}</title>
                </circle>
              );
            })}
            {last && (
              <text
                x={x(time(last.at)) + 6}
                y={Math.min(H - 20, y(last.value) + 4 + 12 * (i % 2))}
                fontSize={11}
                fill="var(--ink)"
              >
                {c.name.slice(0, MOST)}
              </text>
            )}
          </g>
        );
      })}
      <text x={LEFT} y={H - 3} fontSize={11} fill="var(--ink2)">
        {longDate(new Date(Math.min(...times)).toISOString().slice(0, 10))}
      </text>
      <text x={right} y={H - 3} fontSize={11} textAnchor="end" fill="var(--ink2)">
        {longDate(new Date(Math.max(...times)).toISOString().slice(0, 10))}
      </text>
    </svg>
  );
}
