import { scaleLinear } from 'd3-scale';
import { line } from 'd3-shape';
import type { BenchAnswer, Greeks } from '../../api/client';
import { fixed } from '../../format';
import { Choices } from '../../ui/controls';
import { at, label } from './plot';
import { look, useScene } from './scene';

const GREEKS = [
  { key: 'delta', name: 'Δ', note: 'money for 1.00 of price', decimals: 1 },
  { key: 'gamma', name: 'Γ', note: 'change of Δ for 1.00', decimals: 2 },
  { key: 'theta', name: 'θ', note: 'money a day', decimals: 1 },
  { key: 'vega', name: 'vega', note: 'money a point', decimals: 1 },
] as const;
const LEFT = 56;
const LOOKS = [
  'var(--brass)',
  'var(--slate)',
  'color-mix(in srgb, var(--slate) 70%, var(--ground))',
  'var(--ink)',
];
const DASHES = [undefined, undefined, '5 3', '2 3'];

/** The four Greeks of the whole draft, and of its legs, over price on several dates or over time. */
export function GreekPlots({
  bench: b,
  width,
  height,
}: {
  bench: BenchAnswer;
  width: number;
  height: number;
}) {
  const s = useScene();
  const g = b.greeks;
  if (!g) return null;
  const time = s.greeksOver === 'time';
  const [w, h] = [width / 2 - 8, (height - 30) / 2 - 28];
  const x = scaleLinear([g.along[0] ?? 0, g.along.at(-1) ?? 1], [LEFT, w - 6]);
  const marks = x.ticks(5);
  const here = time ? 0 : (s.price ?? b.evaluation.spot);
  const legs = s.legs ? g.legs : [];
  const days = (i: number) => ((g.days[i] ?? 0) < 0.05 ? 'now' : `in ${fixed(g.days[i], 0)} d`);
  return (
    <div>
      <div className="flex h-[30px] items-center gap-3 px-2">
        <Choices
          label="Greeks over"
          value={s.greeksOver}
          onChange={(greeksOver) => {
            look({ greeksOver });
          }}
          choices={[
            { value: 'price', label: 'over price' },
            { value: 'time', label: 'over time' },
          ]}
        />
        <Choices
          label="Of"
          value={s.legs ? 'legs' : 'net'}
          onChange={(v) => {
            look({ legs: v === 'legs' });
          }}
          choices={[
            { value: 'net', label: 'net' },
            { value: 'legs', label: 'with legs' },
          ]}
        />
        {!time &&
          g.net.map((_, i) => (
            <span key={i} className="flex items-center gap-1 text-ink2">
              <svg aria-hidden width={22} height={4}>
                <line
                  x1={0}
                  x2={22}
                  y1={2}
                  y2={2}
                  stroke={LOOKS[i]}
                  strokeWidth={2}
                  strokeDasharray={DASHES[i]}
                />
              </svg>
              {days(i)}
            </span>
          ))}
        {time && (
          <span className="text-ink2">
            with the price at <b className="text-ink">{fixed(s.price ?? b.evaluation.spot, 2)}</b>,
            days from now across
          </span>
        )}
        {s.legs && (
          <span className="truncate text-ink2">
            thin: {b.evaluation.legs.map((l) => l.label).join(', ')}
          </span>
        )}
      </div>
      <div className="grid grid-cols-2 gap-x-4 gap-y-2">
        {GREEKS.map((k) => {
          const of = (list: Greeks[]) => list.map((v) => v[k.key]);
          const lines = g.net.map(of);
          const each = legs.map(of);
          const all = [...lines, ...each].flat();
          const y = scaleLinear([Math.min(0, ...all), Math.max(0, ...all)], [h - 22, 8]).nice();
          const ticks = y.ticks(4);
          const value = at(g.along, lines[0] ?? [], here);
          const path = (values: number[]) =>
            line<number>()
              .x((_, i) => x(g.along[i] ?? 0))
              .y((v) => y(v))(values) ?? '';
          return (
            <figure key={k.key}>
              <figcaption className="flex gap-2 px-2 whitespace-nowrap">
                <b>{k.name}</b>
                <span className="truncate text-ink2">{k.note}</span>
                <span className="ml-auto">
                  {time ? 'now' : days(0)}{' '}
                  <b>{value === undefined ? '' : fixed(value, k.decimals, true)}</b>
                </span>
              </figcaption>
              <svg
                role="img"
                aria-label={`${k.name} over ${time ? 'time' : 'price'}`}
                width={w}
                height={h}
                className="block"
              >
                {ticks.map((t) => (
                  <g key={t}>
                    <line x1={LEFT} x2={w - 6} y1={y(t)} y2={y(t)} stroke="var(--hair)" />
                    <text
                      x={LEFT - 6}
                      y={y(t) + 4}
                      textAnchor="end"
                      fontSize={11}
                      fill="var(--ink2)"
                    >
                      {label(t, ticks, true)}
                    </text>
                  </g>
                ))}
                {marks.map((t) => (
                  <text
                    key={t}
                    x={x(t)}
                    y={h - 6}
                    textAnchor="middle"
                    fontSize={11}
                    fill="var(--ink2)"
                  >
                    {time ? `${t} d` : label(t, marks)}
                  </text>
                ))}
                <line x1={LEFT} x2={w - 6} y1={y(0)} y2={y(0)} stroke="var(--ink2)" />
                {!time && (
                  <line
                    x1={x(here)}
                    x2={x(here)}
                    y1={8}
                    y2={h - 22}
                    stroke="var(--ink)"
                    strokeOpacity={0.5}
                  />
                )}
                {each.map((values, i) => (
                  <path
                    key={i}
                    d={path(values)}
                    fill="none"
                    stroke="var(--ink2)"
                    strokeWidth={0.75}
                  >
                    <title>{b.evaluation.legs[i]?.label}</title>
                  </path>
                ))}
                {lines.map((values, i) => (
                  <path
                    key={i}
                    d={path(values)}
                    fill="none"
                    stroke={LOOKS[i]}
                    strokeWidth={i === 0 ? 2 : 1.5}
                    strokeDasharray={DASHES[i]}
                  />
                ))}
              </svg>
            </figure>
          );
        })}
      </div>
    </div>
  );
}
