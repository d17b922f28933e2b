import { scaleLinear } from 'd3-scale';
import { area, line } from 'd3-shape';
import type { After } from '../api/client';
import { Hatch } from '../chart/glyph';
import { fixed, money, tone } from '../format';

const W = 346;
const H = 120;
/** What is left of a campaign after the order, with all that it has realised; never the order as if it stood alone. */
export function AfterPicture({ after: a, spot }: { after: After; spot: number }) {
  if (!a.left)
    return (
      <p data-testid="after">
        <b>Nothing is left open.</b> The campaign ends with{' '}
        <b className={tone(a.booked)}>{money(a.booked, true)}</b> after fees.
      </p>
    );
  const x = scaleLinear([a.prices[0] ?? 0, a.prices.at(-1) ?? 1], [0, W]);
  const all = [...a.outline, ...a.today, 0];
  const y = scaleLinear([Math.min(...all), Math.max(...all)], [H - 20, 8]);
  const curve = (values: number[]) =>
    line<number>()
      .x((_, i) => x(a.prices[i] ?? 0))
      .y((v) => y(v))(values) ?? '';
  const loss =
    area<number>()
      .x((_, i) => x(a.prices[i] ?? 0))
      .y0(y(0))
      .y1((v) => y(Math.min(0, v)))(a.outline) ?? '';
  const gain =
    area<number>()
      .x((_, i) => x(a.prices[i] ?? 0))
      .y0(y(0))
      .y1((v) => y(Math.max(0, v)))(a.outline) ?? '';
  return (
    <figure data-testid="after">
      <figcaption>
        Left afterwards: <b>{a.left}</b>. Realised by then{' '}
        <b className={tone(a.booked)}>{money(a.booked, true)}</b>, fees taken off.
      </figcaption>
      <svg
        role="img"
        aria-label={`The campaign afterwards: between ${fixed(Math.min(...a.outline), 0)} and ${fixed(Math.max(...a.outline), 0)} over the prices shown, at its first expiration`}
        width={W}
        height={H}
        className="mt-1"
      >
        <defs>
          <Hatch id="after-loss" />
        </defs>
        <path d={gain} fill="var(--gain-soft)" />
        <path d={loss} fill="url(#after-loss)" />
        <line x1={0} x2={W} y1={y(0)} y2={y(0)} stroke="var(--strong)" />
        <line
          x1={x(spot)}
          x2={x(spot)}
          y1={4}
          y2={H - 18}
          stroke="var(--ink2)"
          strokeDasharray="2 3"
        />
        <path d={curve(a.today)} fill="none" stroke="var(--brass)" strokeWidth={1.5} />
        <path d={curve(a.outline)} fill="none" stroke="var(--ink)" strokeWidth={2} />
        {x.ticks(5).map((t) => (
          <text key={t} x={x(t)} y={H - 5} textAnchor="middle" fontSize={11} fill="var(--ink2)">
            {t}
          </text>
        ))}
      </svg>
    </figure>
  );
}
