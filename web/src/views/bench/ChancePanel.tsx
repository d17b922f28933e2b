import { scaleLinear } from 'd3-scale';
import { area, line } from 'd3-shape';
import type { BenchAnswer, Chances } from '../../api/client';
import { Hatch } from '../../chart/glyph';
import { dayMonth, fixed, percent } from '../../format';
import { Choices, Notice } from '../../ui/controls';
import { label } from './plot';
import { look, useScene } from './scene';

const field = 'num h-6 w-20 rounded border border-strong bg-ground px-2 font-semibold';
const LEFT = 12;
const BOTTOM = 22;

/** Where the price may end, what makes a profit filled, and the two prices as lines that can be dragged or moved by arrows. */
function Distribution({
  bench: b,
  width,
  height,
  onMove,
}: {
  bench: BenchAnswer;
  width: number;
  height: number;
  onMove: (which: 'lower' | 'higher', price: number) => void;
}) {
  const c = b.chances;
  const end = c?.dates.at(-1);
  const first = c?.dates[0];
  if (!c || !end || !first) return null;
  const [low, high] = [b.prices[0] ?? 0, b.prices.at(-1) ?? 1];
  const x = scaleLinear([low, high], [LEFT, width - 8]);
  // An early date stands tall and narrow: it may be cut, the end may not look flat beside it.
  const tall = Math.max(...end.density, 1e-12);
  const y = scaleLinear(
    [0, Math.max(tall, Math.min(1.8 * tall, Math.max(...first.density)))],
    [height - BOTTOM, 14],
  );
  const under =
    area<number>()
      .x((_, i) => x(b.prices[i] ?? 0))
      .y0(y(0))
      .y1((v) => y(v))(end.density) ?? '';
  // Where the end is a profit and where a loss: stretches that meet at the prices where it is even.
  const stretches = b.prices.slice(1).map((price, i) => {
    const [from, to] = [b.prices[i] ?? 0, price];
    const [v0, v1] = [b.outline[i] ?? 0, b.outline[i + 1] ?? 0];
    return {
      from,
      to,
      v0,
      v1,
      turn: v0 > 0 === v1 > 0 ? to : from + ((0 - v0) / (v1 - v0)) * (to - from),
    };
  });
  const rects = (gain: boolean) =>
    stretches
      .flatMap(({ from, to, v0, v1, turn }) => [
        ...(v0 > 0 === gain ? [[from, turn]] : []),
        ...(v1 > 0 === gain ? [[turn, to]] : []),
      ])
      .map(([f = 0, t = 0]) => `M${x(f)} 0H${x(t)}V${height}H${x(f)}Z`)
      .join('');
  const path = (values: number[]) =>
    line<number>()
      .x((_, i) => x(b.prices[i] ?? 0))
      .y((v) => y(Math.min(v, y.domain()[1] ?? v)))(values) ?? '';
  const ticks = x.ticks(8);
  const drag =
    (which: 'lower' | 'higher', svg: SVGSVGElement | null) => (e: React.PointerEvent) => {
      e.preventDefault();
      const move = (ev: PointerEvent) => {
        const left = svg?.getBoundingClientRect().left ?? 0;
        onMove(which, Math.min(high, Math.max(low, x.invert(ev.clientX - left))));
      };
      const stop = () => {
        window.removeEventListener('pointermove', move);
        window.removeEventListener('pointerup', stop);
      };
      window.addEventListener('pointermove', move);
      window.addEventListener('pointerup', stop);
    };
  const handle = (which: 'lower' | 'higher', price: number) =>
    price > low &&
    price < high && (
      <g
        key={which}
        role="slider"
        tabIndex={0}
        aria-label={`${which} price`}
        aria-valuenow={price}
        aria-valuemin={low}
        aria-valuemax={high}
        aria-valuetext={fixed(price, 2)}
        className="cursor-ew-resize touch-none"
        onPointerDown={(e) => {
          drag(which, e.currentTarget.ownerSVGElement)(e);
        }}
        onKeyDown={(e) => {
          const by = e.key === 'ArrowRight' ? 1 : e.key === 'ArrowLeft' ? -1 : 0;
          if (by !== 0) {
            e.preventDefault();
            onMove(which, price + (by * (high - low)) / 100);
          }
        }}
      >
        <rect x={x(price) - 7} y={10} width={14} height={height - BOTTOM - 10} fill="transparent" />
        <line
          x1={x(price)}
          x2={x(price)}
          y1={14}
          y2={height - BOTTOM}
          stroke="var(--brass)"
          strokeWidth={2}
        />
        <text
          x={x(price)}
          y={11}
          textAnchor="middle"
          fontSize={12}
          fontWeight={600}
          fill="var(--brass)"
        >
          {fixed(price, 2)}
        </text>
      </g>
    );
  return (
    <svg
      role="group"
      aria-label={`Distribution of the price at the end; a profit with a chance of ${percent(end.profit, 0)} percent.`}
      width={width}
      height={height}
      className="block"
    >
      <defs>
        <Hatch id="chance-loss" />
        {[true, false].map((gain) => (
          <clipPath key={String(gain)} id={gain ? 'chance-gains' : 'chance-losses'}>
            <path d={rects(gain)} />
          </clipPath>
        ))}
      </defs>
      <path d={under} clipPath="url(#chance-gains)" fill="var(--gain-soft)" />
      <path d={under} clipPath="url(#chance-losses)" fill="url(#chance-loss)" />
      <path d={path(end.density)} fill="none" stroke="var(--ink)" strokeWidth={2} />
      {first.days < end.days - 0.3 && (
        <path d={path(first.density)} fill="none" stroke="var(--slate)" strokeWidth={1.5} />
      )}
      <line
        x1={x(b.evaluation.spot)}
        x2={x(b.evaluation.spot)}
        y1={14}
        y2={height - BOTTOM}
        stroke="var(--ink)"
        strokeOpacity={0.5}
      />
      {ticks.map((t) => (
        <text key={t} x={x(t)} y={height - 6} textAnchor="middle" fontSize={12} fill="var(--ink2)">
          {label(t, ticks)}
        </text>
      ))}
      {handle('lower', c.lower)}
      {handle('higher', c.higher)}
    </svg>
  );
}

/** Where the price may end and what it may touch on the way, for two prices; and what that means for the draft. */
export function ChancePanel({ bench: b, width }: { bench: BenchAnswer; width: number }) {
  const s = useScene((x) => x.chance);
  const set = (change: Partial<typeof s>) => {
    look({ chance: { ...s, ...change } });
  };
  const c = b.chances;
  if (!c)
    return b.noChances == null ? null : (
      <Notice>Chances under the smile: {b.noChances}. Take the flat volatility instead.</Notice>
    );
  const share = (v: number | undefined | null) => (v == null ? '' : `${percent(v, 1)} %`);
  const [low, high] = [fixed(c.lower, 2), fixed(c.higher, 2)];
  const move = (which: 'lower' | 'higher', price: number) => {
    const next = {
      lower: c.lower.toFixed(2),
      higher: c.higher.toFixed(2),
      [which]: price.toFixed(2),
    };
    if (Number(next.lower) < Number(next.higher)) set(next);
  };
  const rows: [string, (d: Chances['dates'][number]) => string][] = [
    [`ends below ${low}`, (d) => share(d.ends[0])],
    ['ends between', (d) => share(d.ends[1])],
    [`ends above ${high}`, (d) => share(d.ends[2])],
    [`reaches the lower, ${low}`, (d) => share(d.touches[0])],
    [`reaches the higher, ${high}`, (d) => share(d.touches[1])],
    ['reaches one of them', (d) => share(d.touches[2])],
    ['reaches both', (d) => share(d.touches[3])],
    ['stays between', (d) => share(d.touches[4])],
    ['a profit', (d) => share(d.profit)],
    ['mean profit, before costs', (d) => fixed(d.expected, 0, true)],
  ];
  return (
    <div className="flex flex-col gap-2">
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1">
        <Choices
          label="Law of the price"
          value={s.smile ? 'smile' : 'flat'}
          onChange={(v) => {
            set({ smile: v === 'smile' });
          }}
          choices={[
            { value: 'flat', label: 'one volatility' },
            { value: 'smile', label: 'the smile' },
          ]}
        />
        <label className="flex items-center gap-1.5 text-ink2">
          lower
          <input
            inputMode="decimal"
            value={s.lower || c.lower.toFixed(2)}
            onChange={(e) => {
              set({ lower: e.target.value.trim(), higher: s.higher || c.higher.toFixed(2) });
            }}
            className={`${field} text-ink`}
          />
        </label>
        <label className="flex items-center gap-1.5 text-ink2">
          higher
          <input
            inputMode="decimal"
            value={s.higher || c.higher.toFixed(2)}
            onChange={(e) => {
              set({ higher: e.target.value.trim(), lower: s.lower || c.lower.toFixed(2) });
            }}
            className={`${field} text-ink`}
          />
        </label>
      </div>
      <Distribution bench={b} width={width} height={190} onMove={move} />
      <div className="flex flex-wrap items-start gap-x-8 gap-y-3">
        <table className="tabular-nums">
          <thead>
            <tr>
              <td />
              {c.dates.map((d) => (
                <th key={d.days} scope="col" className="num px-3 font-semibold">
                  {dayMonth(d.date)}
                  <span className="font-normal text-ink2"> {fixed(d.days, 0)} d</span>
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {rows.map(([name, of]) => (
              <tr key={name} className="border-t border-hair">
                <th scope="row" className="py-0.5 pr-3 text-left font-normal text-ink2">
                  {name}
                </th>
                {c.dates.map((d) => (
                  <td key={d.days} className="num px-3 font-semibold">
                    {of(d)}
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
        <div className="flex max-w-[300px] flex-col gap-1.5">
          <label className="flex items-center gap-1.5">
            my target
            <input
              inputMode="decimal"
              value={s.target}
              placeholder="none"
              onChange={(e) => {
                set({ target: e.target.value.trim() });
              }}
              className="num h-6 w-14 rounded border border-strong bg-ground px-1 font-semibold"
            />
            % of max profit
            {c.target != null && <b className="tabular-nums">{fixed(c.target, 0, true)}</b>}
          </label>
          <label className="flex items-center gap-1.5">
            my stop
            <input
              inputMode="decimal"
              value={s.stop}
              placeholder="none"
              onChange={(e) => {
                set({ stop: e.target.value.trim() });
              }}
              className="num h-6 w-14 rounded border border-strong bg-ground px-1 font-semibold"
            />
            % of max loss{c.stop != null && <b className="tabular-nums">{fixed(c.stop, 0)}</b>}
          </label>
          {c.reached != null && (
            <p data-testid="reached">
              Reaches the target before its end{c.stop != null ? ', and before the stop' : ''}:{' '}
              <b>{share(c.reached)}</b>
            </p>
          )}
          {c.stopped != null && (
            <p>
              Falls to the stop before{c.target != null ? ', and before the target' : ''}:{' '}
              <b>{share(c.stopped)}</b>
            </p>
          )}
          <p className="font-serif text-[14px] leading-[18px] text-ink2 italic">
            {s.smile
              ? 'Under the smile of its first expiration'
              : 'Under one volatility for all prices'}
            , with the drift of interest less dividends. At the market’s own volatility the mean of
            any fairly priced draft lies near zero: it says what the price allows, not what will be.
            Dividends that shares would be paid are not counted.
          </p>
        </div>
      </div>
    </div>
  );
}
