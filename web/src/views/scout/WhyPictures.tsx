import { useQuery } from '@tanstack/react-query';
import { scaleLinear, scaleSqrt } from 'd3-scale';
import { line } from 'd3-shape';
import type { Bar, ChainHead } from '../../api/client';
import { smileQuery } from '../../api/queries';
import { dayMonth, fixed, percent } from '../../format';

const WIDTH = 278;
const HEIGHT = 132;
const LEFT = 40;
const BOTTOM = 16;

type Axes = {
  label: string;
  x: (n: number) => number;
  y: (n: number) => number;
  ys: number[];
  xs: [number, string][];
  show?: (n: number) => string;
  children: React.ReactNode;
};
/** A small picture with marks at its left and its foot. */
function Small({ label, x, y, ys, xs, show = (n) => `${percent(n, 0)} %`, children }: Axes) {
  return (
    <svg role="img" aria-label={label} width={WIDTH} height={HEIGHT} className="block">
      {ys.map((t) => (
        <g key={t}>
          <line x1={LEFT} x2={WIDTH} y1={y(t)} y2={y(t)} stroke="var(--hair)" />
          <text x={LEFT - 4} y={y(t) + 4} textAnchor="end" fontSize={10.5} fill="var(--ink2)">
            {show(t)}
          </text>
        </g>
      ))}
      {xs.map(([t, words]) => (
        <text
          key={`${t} ${words}`}
          x={Math.min(WIDTH - 16, Math.max(LEFT + 12, x(t)))}
          y={HEIGHT - 3}
          textAnchor="middle"
          fontSize={10.5}
          fill="var(--ink2)"
        >
          {words}
        </text>
      ))}
      {children}
    </svg>
  );
}
const range = (all: number[]): [number, number] =>
  all.length === 0 ? [0, 1] : [Math.min(...all), Math.max(...all)];

/** A year of the price, or of volatility as it was implied and as it came. */
export function Past({ bars, of }: { bars: Bar[]; of: 'price' | 'vol' }) {
  const all =
    of === 'price'
      ? bars.map((b) => b.close)
      : bars.flatMap((b) => [b.implied, b.realised].filter((v) => v != null));
  const x = scaleLinear([0, Math.max(1, bars.length - 1)], [LEFT + 2, WIDTH - 4]);
  const y = scaleLinear(range(all), [HEIGHT - BOTTOM - 4, 6]).nice(3);
  const path = (value: (b: Bar) => number | null | undefined) =>
    line<Bar>()
      .defined((b) => value(b) != null)
      .x((_, i) => x(i))
      .y((b) => y(value(b) ?? 0))(bars) ?? '';
  const places = [0, Math.floor(bars.length / 2), bars.length - 1];
  const xs = places.flatMap((i): [number, string][] => {
    const b = bars[i];
    return b ? [[i, `${dayMonth(b.date).slice(-3)} ${b.date.slice(2, 4)}`]] : [];
  });
  return (
    <Small
      label={
        of === 'price' ? 'The price over a year' : 'Implied and realised volatility over a year'
      }
      x={x}
      y={y}
      ys={y.ticks(3)}
      xs={xs}
      {...(of === 'price' ? { show: (n: number) => fixed(n, 0) } : {})}
    >
      {of === 'price' ? (
        <path d={path((b) => b.close)} fill="none" stroke="var(--ink)" strokeWidth={1.5} />
      ) : (
        <>
          <path
            d={path((b) => b.realised)}
            fill="none"
            stroke="var(--slate)"
            strokeDasharray="4 3"
            strokeWidth={1.5}
          />
          <path d={path((b) => b.implied)} fill="none" stroke="var(--brass)" strokeWidth={2} />
        </>
      )}
    </Small>
  );
}

/** Volatility at the money by expiration, with the news between. */
export function Term({ head }: { head: ChainHead }) {
  const marks = head.marks.filter((m) => m.days > 0 && m.vol > 0);
  const x = scaleSqrt([0, Math.max(30, ...marks.map((m) => m.days))], [LEFT + 2, WIDTH - 8]);
  const y = scaleLinear(range(marks.map((m) => m.vol)), [HEIGHT - BOTTOM - 6, 8]).nice(3);
  return (
    <Small
      label="Volatility at the money by expiration"
      x={x}
      y={y}
      ys={y.ticks(3)}
      xs={[7, 30, 90, 365]
        .filter((d) => d <= (x.domain()[1] ?? 0))
        .map((d): [number, string] => [d, `${d} d`])}
    >
      {head.events
        .filter((v) => v.kind === 'news' && v.days <= (x.domain()[1] ?? 0))
        .map((v) => (
          <text
            key={v.date}
            x={x(v.days)}
            y={11}
            textAnchor="middle"
            fontSize={11}
            fill="var(--loss)"
          >
            ◆<title>{`${v.what}, ${v.label}`}</title>
          </text>
        ))}
      <path
        d={
          line<(typeof marks)[number]>()
            .x((m) => x(m.days))
            .y((m) => y(m.vol))(marks) ?? ''
        }
        fill="none"
        stroke="var(--ink)"
        strokeWidth={1.5}
      />
      {marks.map((m) => (
        <circle key={m.key} cx={x(m.days)} cy={y(m.vol)} r={2} fill="var(--ink)">
          <title>{`${m.label}: ${percent(m.vol)} %`}</title>
        </circle>
      ))}
    </Small>
  );
}

/** The smile of the expiration near thirty days. */
export function Smile({ symbol, head }: { symbol: string; head: ChainHead }) {
  const near = head.marks.reduce<ChainHead['marks'][number] | undefined>(
    (best, m) => (best && Math.abs(best.days - 30) <= Math.abs(m.days - 30) ? best : m),
    undefined,
  );
  const smile = useQuery(smileQuery(symbol, near?.key));
  const [low = 0, , , high = Infinity] = near?.bands ?? [];
  const points = (smile.data?.points ?? []).filter(
    (p) => p.at >= low * 0.97 && p.at <= high * 1.03,
  );
  const x = scaleLinear(range(points.map((p) => p.at)), [LEFT + 4, WIDTH - 8]);
  const y = scaleLinear(range(points.map((p) => p.middle)), [HEIGHT - BOTTOM - 6, 8]).nice(3);
  return (
    <Small
      label={`Smile of ${near?.label ?? 'the expiration near thirty days'}`}
      x={x}
      y={y}
      ys={y.ticks(3)}
      xs={x.ticks(3).map((t): [number, string] => [t, fixed(t, 0)])}
    >
      <line
        x1={x(head.level)}
        x2={x(head.level)}
        y1={6}
        y2={HEIGHT - BOTTOM}
        stroke="var(--strong)"
      />
      <path
        d={
          line<(typeof points)[number]>()
            .defined((p) => p.fitted != null)
            .x((p) => x(p.at))
            .y((p) => y(p.fitted ?? 0))(points) ?? ''
        }
        fill="none"
        stroke="var(--brass)"
        strokeWidth={1.5}
      />
      {points.map((p) => (
        <circle
          key={`${p.strike} ${p.side}`}
          cx={x(p.at)}
          cy={y(p.middle)}
          r={2}
          fill="var(--ink)"
        />
      ))}
    </Small>
  );
}
