import { scaleLinear } from 'd3-scale';
import { line } from 'd3-shape';
import type { BenchAnswer } from '../../api/client';
import { fixed } from '../../format';
import { at, label } from './plot';

const GREEKS = [
  { key: 'delta', name: 'Δ', note: 'money for 1.00 of price', decimals: 1 },
  { key: 'gamma', name: 'Γ', note: 'change of Δ for 1.00', decimals: 2 },
  { key: 'theta', name: 'θ', note: 'money a day', decimals: 1 },
  { key: 'vega', name: 'vega', note: 'money a point', decimals: 1 },
] as const;
const LEFT = 56;

/** The four Greeks of the whole draft over price, on the chosen date. */
export function GreekPlots({ bench: b, width, height }: { bench: BenchAnswer; width: number; height: number }) {
  const [w, h] = [width / 2 - 8, height / 2 - 28];
  const x = scaleLinear([b.greekPrices[0] ?? 0, b.greekPrices.at(-1) ?? 1], [LEFT, w - 6]);
  const prices = x.ticks(5);
  return (
    <div className="grid grid-cols-2 gap-x-4 gap-y-2">
      {GREEKS.map((g) => {
        const values = b.greeks.map((v) => v[g.key]);
        const y = scaleLinear([Math.min(0, ...values), Math.max(0, ...values)], [h - 22, 8]).nice();
        const ticks = y.ticks(4);
        const here = at(b.greekPrices, values, b.spot);
        return (
          <figure key={g.key}>
            <figcaption className="flex gap-2 px-2"><b>{g.name}</b><span className="text-ink2">{g.note}</span><span className="ml-auto">now <b>{here === undefined ? '' : fixed(here, g.decimals, true)}</b></span></figcaption>
            <svg role="img" aria-label={`${g.name} over price`} width={w} height={h} className="block">
              {ticks.map((t) => <g key={t}><line x1={LEFT} x2={w - 6} y1={y(t)} y2={y(t)} stroke="var(--hair)" /><text x={LEFT - 6} y={y(t) + 4} textAnchor="end" fontSize={11} fill="var(--ink2)">{label(t, ticks, true)}</text></g>)}
              {prices.map((t) => <text key={t} x={x(t)} y={h - 6} textAnchor="middle" fontSize={11} fill="var(--ink2)">{label(t, prices)}</text>)}
              <line x1={LEFT} x2={w - 6} y1={y(0)} y2={y(0)} stroke="var(--ink2)" />
              <line x1={x(b.spot)} x2={x(b.spot)} y1={8} y2={h - 22} stroke="var(--ink)" strokeOpacity={0.5} />
              <path d={line<number>().x((_, i) => x(b.greekPrices[i] ?? 0)).y((v) => y(v))(values) ?? ''} fill="none" stroke="var(--brass)" strokeWidth={2} />
            </svg>
          </figure>
        );
      })}
    </div>
  );
}
