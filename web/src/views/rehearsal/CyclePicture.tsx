import { scaleLinear } from 'd3-scale';
import { line } from 'd3-shape';
import type { DrillLook } from '../../api/client';
import { isOption, parts } from '../../drafts/contract';
import { dayMonth, fixed } from '../../format';

/** A leg for as long as it was held, by the places of its looks. */
type Held = { contract: string; strike: number; quantity: number; from: number; to: number };

/** What was held from look to look. */
export function heldOver(looks: DrillLook[]): Held[] {
  const open = new Map<string, Held>();
  const out: Held[] = [];
  looks.forEach((look, i) => {
    const over = ['leave', 'end'].includes(look.action) && i === looks.length - 1;
    const now = new Map(over ? [] : look.legs.map((l) => [l.contract, l.quantity]));
    for (const [contract, held] of open) {
      if (now.get(contract) === held.quantity) continue;
      out.push({ ...held, to: i });
      open.delete(contract);
    }
    for (const [contract, quantity] of now) {
      if (open.has(contract) || !isOption(contract)) continue;
      open.set(contract, { contract, strike: parts(contract).strike, quantity, from: i, to: i });
    }
  });
  for (const held of open.values()) out.push({ ...held, to: looks.length - 1 });
  return out;
}

const strikeText = (strike: number) => fixed(strike, strike % 1 === 0 ? 0 : 2);

/** One label for all legs that begin at one look and strike: "82.50 +3 call, +3 put"; their dates where they differ. */
export function labelsOf(held: Held[]): { strike: number; from: number; text: string }[] {
  const together = new Map<string, Held[]>();
  for (const h of held) {
    const place = `${h.strike} ${h.from}`;
    together.set(place, [...(together.get(place) ?? []), h]);
  }
  return [...together.values()].flatMap((legs) => {
    const [one] = legs;
    if (!one) return [];
    const dated = new Set(legs.map((h) => parts(h.contract).date)).size > 1;
    const each = legs.map((h) => {
      const p = parts(h.contract);
      const count = `${h.quantity > 0 ? '+' : '−'}${Math.abs(h.quantity)}`;
      return `${count} ${p.kind === 'C' ? 'call' : 'put'}${dated ? ` ${dayMonth(p.date)}` : ''}`;
    });
    return [
      { strike: one.strike, from: one.from, text: `${strikeText(one.strike)} ${each.join(', ')}` },
    ];
  });
}

const FOOT = 84;
const LEFT = 52;

/** A cycle over time: the price up the page with each leg at its strike for as long as it was held, below it
 * the profit after each look. The look that is chosen is a line through both. */
export function CyclePicture({
  looks,
  at,
  onAt,
  width,
  height = 330,
}: {
  looks: DrillLook[];
  at: number;
  onAt: (at: number) => void;
  width: number;
  height?: number;
}) {
  const held = heldOver(looks);
  const prices = [...looks.map((l) => l.underlying), ...held.map((h) => h.strike)];
  const [low, high] = [Math.min(...prices), Math.max(...prices)];
  const room = (high - low || 1) * 0.06;
  const top = height - FOOT;
  const x = scaleLinear([0, Math.max(1, looks.length - 1)], [LEFT, width - 10]);
  const y = scaleLinear([low - room, high + room], [top - 6, 10]);
  const profits = looks.map((l) => (l.profit == null ? undefined : Number(l.profit)));
  const known = profits.filter((p) => p !== undefined);
  const [least, most] = [Math.min(0, ...known), Math.max(0, ...known)];
  const yp = scaleLinear([least, most === least ? least + 1 : most], [height - 18, top + 12]);
  const priceLine = line<DrillLook>()
    .x((_, i) => x(i))
    .y((l) => y(l.underlying))
    .digits(1)(looks);
  const profitLine = line<number | undefined>()
    .defined((p) => p !== undefined)
    .x((_, i) => x(i))
    .y((p) => yp(p ?? 0))
    .digits(1)(profits);
  const pick = (clientX: number, box: DOMRect) => {
    const place = Math.round(x.invert(((clientX - box.left) / box.width) * width));
    onAt(Math.max(0, Math.min(looks.length - 1, place)));
  };
  const first = looks[0];
  const last = looks.at(-1);
  return (
    <svg
      role="img"
      aria-label={`Price of the underlying and the legs of the cycle from ${dayMonth(first?.at.slice(0, 10) ?? '')} to ${dayMonth(last?.at.slice(0, 10) ?? '')}, and its profit below`}
      width={width}
      height={height}
      className="block touch-none"
      onPointerDown={(e) => {
        pick(e.clientX, e.currentTarget.getBoundingClientRect());
      }}
      onPointerMove={(e) => {
        if (e.buttons > 0) pick(e.clientX, e.currentTarget.getBoundingClientRect());
      }}
    >
      <defs>
        <pattern id="drill-loss" width="6" height="6" patternUnits="userSpaceOnUse">
          <path d="M0 6L6 0" stroke="var(--loss)" strokeWidth="1" opacity="0.55" />
        </pattern>
      </defs>
      {y.ticks(6).map((p) => (
        <g key={p}>
          <line x1={LEFT} x2={width - 10} y1={y(p)} y2={y(p)} stroke="var(--hair)" />
          <text x={LEFT - 6} y={y(p) + 4} fontSize={11} textAnchor="end" fill="var(--ink2)">
            {fixed(p, p < 100 ? 1 : 0)}
          </text>
        </g>
      ))}
      {held.map((h) => {
        const bought = h.quantity > 0;
        const p = parts(h.contract);
        return (
          <g key={`${h.contract} ${h.from}`} data-held={h.contract}>
            <title>{`${bought ? 'bought' : 'sold'} ${Math.abs(h.quantity)} × ${strikeText(h.strike)} ${p.kind === 'C' ? 'call' : 'put'} ${dayMonth(p.date)}`}</title>
            <line
              x1={x(h.from)}
              x2={x(h.to)}
              y1={y(h.strike)}
              y2={y(h.strike)}
              stroke={bought ? 'var(--brass)' : 'var(--ink)'}
              strokeWidth={bought ? 2 : 3}
              strokeDasharray={bought ? '5 3' : undefined}
            />
          </g>
        );
      })}
      <path d={priceLine ?? ''} fill="none" stroke="var(--slate)" strokeWidth={2} />
      {looks.map(
        (l, i) =>
          l.action !== 'hold' && (
            <g key={l.at}>
              <title>{l.action}</title>
              <circle
                cx={x(i)}
                cy={y(l.underlying)}
                r={4}
                fill={l.action.startsWith('adjust') ? 'var(--brass)' : 'var(--raised)'}
                stroke="var(--ink)"
                strokeWidth={1.5}
              />
            </g>
          ),
      )}
      <rect
        x={LEFT}
        width={width - 10 - LEFT}
        y={yp(0)}
        height={Math.max(0, yp(least) - yp(0))}
        fill="url(#drill-loss)"
        opacity={0.35}
      />
      <line x1={LEFT} x2={width - 10} y1={yp(0)} y2={yp(0)} stroke="var(--strong)" />
      <path d={profitLine ?? ''} fill="none" stroke="var(--ink)" strokeWidth={1.5} />
      {[most, least].map(
        (p) =>
          p !== 0 && (
            <text
              key={p}
              x={LEFT - 6}
              y={yp(p) + 4}
              fontSize={11}
              textAnchor="end"
              fill="var(--ink2)"
            >
              {fixed(p, 0, true)}
            </text>
          ),
      )}
      {labelsOf(held).map((l) => (
        <text
          key={`${l.strike} ${l.from}`}
          x={x(l.from) + 8}
          y={y(l.strike) - 5}
          fontSize={11}
          fill="var(--ink)"
          stroke="var(--ground)"
          strokeWidth={3}
          paintOrder="stroke"
        >
          {l.text}
        </text>
      ))}
      <line x1={x(at)} x2={x(at)} y1={4} y2={height - 16} stroke="var(--brass)" />
      <text x={LEFT} y={height - 3} fontSize={11} fill="var(--ink2)">
        {dayMonth(first?.at.slice(0, 10) ?? '')} {first?.at.slice(0, 4)}
      </text>
      <text x={width - 10} y={height - 3} fontSize={11} textAnchor="end" fill="var(--ink2)">
        {dayMonth(last?.at.slice(0, 10) ?? '')} {last?.at.slice(0, 4)}
      </text>
    </svg>
  );
}
