import type { Mark } from '../../api/client';
import { fixed, money } from '../../format';
import type { Axis } from './axis';

type Props = { axis: Axis; table: number; width: number; spot: string; level: number; mark?: Mark };
const SIGMAS = ['−2 σ', '−1 σ', '+1 σ', '+2 σ'];

/** Last price and deviations, straight through rows and picture. Faint over numbers, plain elsewhere. */
export function Lines({ axis, table, width, spot, level, mark }: Props) {
  const bands = (mark?.bands ?? []).map((price, i) => ({ price, name: SIGMAS[i] ?? '', y: axis.y(price) })).filter((b) => b.y > 2 && b.y < axis.height - 2);
  const at = axis.y(level);
  const stroke = { paintOrder: 'stroke', stroke: 'var(--raised)', strokeWidth: 3 } as const;
  return (
    <svg aria-hidden width={width} height={axis.height} className="pointer-events-none absolute top-0 left-0 z-10">
      {bands.map((b) => (
        <g key={b.name}>
          <line x1={0} x2={table} y1={b.y} y2={b.y} stroke="var(--slate)" strokeDasharray="2 4" strokeOpacity={0.65} />
          <line x1={table} x2={width} y1={b.y} y2={b.y} stroke="var(--slate)" strokeDasharray="2 4" />
          <text {...stroke} x={table + 8} y={b.y - 4} fontSize={12} fill="var(--slate)">{b.name} {fixed(b.price, b.price > 1000 ? 0 : 1)}</text>
        </g>
      ))}
      {at > 0 && at < axis.height && (
        <g>
          <line x1={0} x2={table} y1={at} y2={at} stroke="var(--ink)" strokeOpacity={0.35} strokeWidth={2} />
          <line x1={table} x2={width} y1={at} y2={at} stroke="var(--ink)" strokeOpacity={0.6} strokeWidth={1.5} />
          <rect x={width - 70} y={at - 10} width={64} height={20} rx={3} fill="var(--ink)" />
          <text x={width - 38} y={at + 4.5} textAnchor="middle" fontSize={13} fontWeight={700} fill="var(--raised)">{money(spot)}</text>
        </g>
      )}
    </svg>
  );
}
