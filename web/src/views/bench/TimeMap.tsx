import { scaleLinear } from 'd3-scale';
import type { BenchAnswer } from '../../api/client';
import { ContourLegend, ContourNames, Contours } from '../../chart/Contours';
import { Hatch } from '../../chart/glyph';
import { HistoryPane } from '../../chart/HistoryPane';
import { isOption, parts } from '../../drafts/contract';
import { fixed } from '../../format';
import { at, label } from './plot';
import { useScene } from './scene';

const LEFT = 60;
const BOTTOM = 26;
type Props = {
  symbol: string;
  bench: BenchAnswer;
  width: number;
  height: number;
  onPick: (part: number, price: number) => void;
};

/** Width of the past beside the map. */
const PAST = 0.36;

/** Days across, price up: lines of equal profit, the even one heavy, losses hatched, the cone of one and two deviations over it. A click sets the date. */
export function TimeMap({ symbol, bench: b, width: whole, height, onPick }: Props) {
  const history = useScene((s) => s.history);
  const past = history ? Math.round(whole * PAST) : 0;
  const width = whole - past;
  const picked = useScene((s) => s.price);
  const map = b.map;
  if (!map) return null;
  const [days, prices] = [map.days.at(-1) ?? 1, map.prices];
  const x = scaleLinear([0, days], [LEFT, width - 12]);
  const y = scaleLinear([prices[0] ?? 0, prices.at(-1) ?? 1], [height - BOTTOM, 12]);
  const spot = b.evaluation.spot;
  const strikes = [
    ...new Set(
      b.evaluation.legs.filter((l) => isOption(l.contract)).map((l) => parts(l.contract).strike),
    ),
  ];
  const read = picked ?? spot;
  const events = b.events.filter((e) => e.days <= days);
  const deviation = Math.log((b.bands[2] ?? spot) / spot) / Math.sqrt(Math.max(b.days, 1e-9));
  const cone = (k: number) =>
    map.days
      .map(
        (d, i) =>
          `${i === 0 ? 'M' : 'L'}${x(d).toFixed(1)} ${y(spot * Math.exp(k * deviation * Math.sqrt(d))).toFixed(1)}`,
      )
      .join('');
  const [dayTicks, priceTicks] = [x.ticks(8), y.ticks(9)];
  const chosen = b.lines[0];
  const told = chosen && at(b.prices, chosen.profit, read);
  const kinds = [...new Set(events.map((e) => e.kind))];
  return (
    <>
      <p className="flex h-[18px] items-center gap-3 overflow-hidden px-2 text-[12px] whitespace-nowrap text-ink2">
        <ContourLegend
          hatch="map-loss"
          more={[{ words: 'chosen date', stroke: 'var(--brass)', width: 1.5 }]}
        />
        {kinds.map((kind) => (
          <span key={kind}>{kind === 'news' ? '◆ earnings or decision' : '◇ ex-date'}</span>
        ))}
      </p>
      <div className="flex">
        {history && (
          <div className="border-r border-hair" style={{ width: past }}>
            <HistoryPane
              symbol={symbol}
              level={spot}
              weekly={false}
              axis={{ height: height - BOTTOM, y: (p) => y(p) }}
              width={past - 1}
              strikes={strikes}
              evens={b.evens}
            />
          </div>
        )}
        <svg
          role="img"
          tabIndex={0}
          width={width}
          height={height}
          className="block"
          aria-label={`Profit by date and price; even at the end at ${b.evens.map((e) => fixed(e, 2)).join(', ') || 'no price'}. Arrows move date and price.`}
          onClick={(e) => {
            const box = e.currentTarget.getBoundingClientRect();
            onPick(
              Math.min(1, Math.max(0, x.invert(e.clientX - box.left) / days)),
              y.invert(e.clientY - box.top),
            );
          }}
          onKeyDown={(e) => {
            const [dx = 0, dy = 0] =
              {
                ArrowRight: [0.02, 0],
                ArrowLeft: [-0.02, 0],
                ArrowUp: [0, 0.01],
                ArrowDown: [0, -0.01],
              }[e.key] ?? [];
            if (dx === 0 && dy === 0) return;
            e.preventDefault();
            onPick(
              Math.min(1, Math.max(0, (b.lines[0]?.days ?? 0) / days + dx)),
              read + dy * ((prices.at(-1) ?? 1) - (prices[0] ?? 0)),
            );
          }}
        >
          <defs>
            <Hatch id="map-loss" />
            <clipPath id="map-box">
              <rect x={LEFT} y={12} width={width - 12 - LEFT} height={height - BOTTOM - 12} />
            </clipPath>
          </defs>
          <g clipPath="url(#map-box)">
            {[-2, -1, 1, 2].map((k) => (
              <path key={k} d={cone(k)} fill="none" stroke="var(--slate)" strokeDasharray="2 4" />
            ))}
            <Contours
              xs={map.days}
              ys={prices}
              values={map.profit}
              x={x}
              y={y}
              hatch="map-loss"
              evenId="map-even"
            />
            <line
              x1={x(0)}
              x2={x(days)}
              y1={y(spot)}
              y2={y(spot)}
              stroke="var(--ink)"
              strokeOpacity={0.5}
            />
            {events.map((e) => (
              <line
                key={`${e.date} ${e.what}`}
                x1={x(e.days)}
                x2={x(e.days)}
                y1={12}
                y2={height - BOTTOM}
                stroke={e.kind === 'news' ? 'var(--loss)' : 'var(--ink2)'}
                strokeDasharray="1 3"
                strokeWidth={1.5}
              />
            ))}
            {chosen && (
              <line
                x1={x(chosen.days)}
                x2={x(chosen.days)}
                y1={12}
                y2={height - BOTTOM}
                stroke="var(--brass)"
                strokeWidth={1.5}
              />
            )}
            {picked !== undefined && (
              <line
                x1={LEFT}
                x2={width - 12}
                y1={y(picked)}
                y2={y(picked)}
                stroke="var(--brass)"
                strokeWidth={1.5}
              />
            )}
          </g>
          {events.map((e) => (
            <text
              key={`${e.date} ${e.what}`}
              x={x(e.days)}
              y={11}
              textAnchor="middle"
              fontSize={13}
              fill={e.kind === 'news' ? 'var(--loss)' : 'var(--ink2)'}
            >
              {e.kind === 'news' ? '◆' : '◇'}
              <title>{`${e.what}, ${e.label}`}</title>
            </text>
          ))}
          {chosen && told !== undefined && (
            <text
              data-testid="map-read"
              x={Math.min(width - 16, Math.max(LEFT + 4, x(chosen.days) + 6))}
              y={y(read) - 6}
              textAnchor={x(chosen.days) > width - 120 ? 'end' : 'start'}
              fontSize={13}
              fontWeight={700}
              fill="var(--brass)"
              stroke="var(--ground)"
              strokeWidth={4}
              paintOrder="stroke"
            >
              {fixed(told, 0, true)}
            </text>
          )}
          {priceTicks.map((t) => (
            <text
              key={t}
              x={LEFT - 8}
              y={y(t) + 4}
              textAnchor="end"
              fontSize={12}
              fill="var(--ink2)"
            >
              {label(t, priceTicks)}
            </text>
          ))}
          {dayTicks.map((t) => (
            <text
              key={t}
              x={x(t)}
              y={height - 8}
              textAnchor="middle"
              fontSize={12}
              fill="var(--ink2)"
            >
              {t === 0 ? 'now' : `${t} d`}
            </text>
          ))}
          <ContourNames
            xs={map.days}
            ys={prices}
            values={map.profit}
            x={x}
            y={y}
            width={width}
            even="break-even"
          />
        </svg>
      </div>
    </>
  );
}
