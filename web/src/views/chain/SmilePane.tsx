import { useQuery } from '@tanstack/react-query';
import { scaleLinear } from 'd3-scale';
import { line } from 'd3-shape';
import type { SmilePoint } from '../../api/client';
import { smileQuery } from '../../api/queries';
import { percent } from '../../format';
import type { Axis } from '../../chart/axis';

type Props = {
  symbol: string;
  expiration: string;
  axis: Axis;
  width: number;
  onStrike: (strike: string, side: 'call' | 'put') => void;
};

/** The smile on the rows' own price axis: volatility across, each strike's market as a whisker from bid to ask, the fitted line through them. A point goes to its strike. */
export function SmilePane({ symbol, expiration, axis, width, onStrike }: Props) {
  const smile = useQuery(smileQuery(symbol, expiration));
  const points = (smile.data?.key === expiration ? smile.data.points : []).filter((p) => {
    const y = axis.y(p.at);
    return y >= 0 && y <= axis.height;
  });
  const all = points.flatMap((p) => [p.bid ?? p.middle, p.ask, p.fitted ?? p.middle]);
  const x = scaleLinear([Math.min(...all, 10), Math.max(...all, 0)], [16, width - 16]).nice(4);
  const ticks = points.length > 0 ? x.ticks(5) : [];
  const fitted = points.filter((p) => p.fitted != null);
  const path =
    line<SmilePoint>()
      .x((p) => x(p.fitted ?? 0))
      .y((p) => axis.y(p.at))(fitted) ?? '';
  return (
    <svg
      role="group"
      aria-label="Smile: implied volatility by strike"
      width={width}
      height={axis.height}
      className="block"
    >
      {ticks.map((t) => (
        <g key={t}>
          <line x1={x(t)} x2={x(t)} y1={16} y2={axis.height} stroke="var(--hair)" />
          <text x={x(t)} y={12} textAnchor="middle" fontSize={11} fill="var(--ink2)">
            {percent(t, 0)} %
          </text>
        </g>
      ))}
      <path data-testid="smile-line" d={path} fill="none" stroke="var(--brass)" strokeWidth={2} />
      {points.map((p) => (
        <g
          key={`${p.strike} ${p.side}`}
          role="button"
          tabIndex={0}
          aria-label={`${p.strike} ${p.side}, ${percent(p.middle)} percent`}
          className="cursor-pointer"
          onClick={() => {
            onStrike(p.strike, p.side === 'call' ? 'call' : 'put');
          }}
          onKeyDown={(e) => {
            if (e.key === 'Enter') onStrike(p.strike, p.side === 'call' ? 'call' : 'put');
          }}
        >
          <rect x={0} width={width} y={axis.y(p.at) - 8} height={16} fill="transparent" />
          <line
            x1={x(p.bid ?? p.middle)}
            x2={x(p.ask)}
            y1={axis.y(p.at)}
            y2={axis.y(p.at)}
            stroke="var(--ink2)"
            strokeWidth={1.5}
          />
          <circle
            cx={x(p.middle)}
            cy={axis.y(p.at)}
            r={3}
            fill={p.side === 'call' ? 'var(--raised)' : 'var(--ink)'}
            stroke="var(--ink)"
          />
          <title>{`${p.strike} ${p.side}: ${percent(p.bid)} / ${percent(p.middle)} / ${percent(p.ask)} %`}</title>
        </g>
      ))}
      {smile.data && fitted.length === 0 && (
        <text x={12} y={32} fontSize={12} fill="var(--ink2)">
          too few strikes are quoted for a line
        </text>
      )}
    </svg>
  );
}
export const SmileHead = () => (
  <span className="px-2 text-ink2">volatility by strike: ○ calls ● puts, whiskers bid to ask</span>
);
