import { scaleLinear } from 'd3-scale';
import { line } from 'd3-shape';
import { useId, useState } from 'react';
import { useNavigate } from 'react-router';
import type { Candidate } from '../../api/client';
import { Hatch } from '../../chart/glyph';
import { count, fixed, percent } from '../../format';
import { openDraft } from '../../ticket/open';
import { Button } from '../../ui/controls';
import { Tick } from '../../ui/fields';
import { label } from '../bench/plot';
import { draftOf, isListed, MOST, toTray, turn, useShortlist } from './shortlist';

const WIDTH = 560;
const HEIGHT = 200;
const LEFT = 62;
const BOTTOM = 20;

type Region = { low?: number | null; high?: number | null; lot?: number | null; spot: number };

/** Profit on the date over the price, the region that is expected behind it, and the shares beside it. */
function Picture({ c, region }: { c: Candidate; region: Region | undefined }) {
  const hatch = useId();
  const [low, high] = [c.prices[0] ?? 0, c.prices.at(-1) ?? 1];
  const shares =
    region?.lot != null && c.family !== 'shares'
      ? c.prices.map((p) => (p - region.spot) * (region.lot ?? 0))
      : undefined;
  const all = [0, ...c.profits];
  const [bottom, top] = [Math.min(...all), Math.max(...all)];
  const x = scaleLinear([low, high], [LEFT, WIDTH - 8]);
  const y = scaleLinear([bottom, top], [HEIGHT - BOTTOM, 8]).nice(4);
  const path = (values: number[]) =>
    line<number>()
      .x((_, i) => x(c.prices[i] ?? 0))
      .y((v) => y(v))(values) ?? '';
  const [prices, profits] = [x.ticks(6), y.ticks(5)];
  const clip = `${hatch}-box`;
  const from = region?.low == null ? LEFT : Math.max(LEFT, x(region.low));
  const to = region?.high == null ? WIDTH - 8 : Math.min(WIDTH - 8, x(region.high));
  const under = `${path(c.profits)}L${x(high)} ${y(0)}L${x(low)} ${y(0)}Z`;
  return (
    <svg
      role="img"
      width={WIDTH}
      height={HEIGHT}
      className="h-auto max-w-full"
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      aria-label={`Profit of one package on the date, from ${fixed(bottom, 0, true)} to ${fixed(top, 0, true)}; even at ${c.breakEvens.map((e) => fixed(e, 2)).join(' and ') || 'no price'}`}
    >
      <defs>
        <Hatch id={hatch} />
        <clipPath id={clip}>
          <rect x={LEFT} y={4} width={WIDTH - 8 - LEFT} height={HEIGHT - BOTTOM - 4} />
        </clipPath>
        <clipPath id={`${clip}-loss`}>
          <rect x={LEFT} y={y(0)} width={WIDTH - 8 - LEFT} height={HEIGHT} />
        </clipPath>
      </defs>
      {region && to > from && (
        <rect
          x={from}
          width={to - from}
          y={4}
          height={HEIGHT - BOTTOM - 4}
          fill="var(--brass-fill)"
          fillOpacity={0.2}
        />
      )}
      {profits.map((t) => (
        <g key={t}>
          <line x1={LEFT} x2={WIDTH - 8} y1={y(t)} y2={y(t)} stroke="var(--hair)" />
          <text x={LEFT - 6} y={y(t) + 4} textAnchor="end" fontSize={11} fill="var(--ink2)">
            {label(t, profits, true)}
          </text>
        </g>
      ))}
      {prices.map((t) => (
        <text key={t} x={x(t)} y={HEIGHT - 5} textAnchor="middle" fontSize={11} fill="var(--ink2)">
          {label(t, prices)}
        </text>
      ))}
      <g clipPath={`url(#${clip})`}>
        <path d={under} fill={`url(#${hatch})`} clipPath={`url(#${clip}-loss)`} />
        {shares && (
          <path
            d={path(shares)}
            fill="none"
            stroke="var(--slate)"
            strokeDasharray="6 3"
            strokeWidth={1.5}
          />
        )}
        <path d={path(c.profits)} fill="none" stroke="var(--ink)" strokeWidth={2} />
      </g>
      <line x1={LEFT} x2={WIDTH - 8} y1={y(0)} y2={y(0)} stroke="var(--ink)" />
      {region && (
        <line
          x1={x(region.spot)}
          x2={x(region.spot)}
          y1={4}
          y2={HEIGHT - BOTTOM}
          stroke="var(--ink)"
          strokeOpacity={0.4}
        />
      )}
    </svg>
  );
}

/** One candidate: its picture, both laws side by side, what speaks against it, and where it goes from here. */
export function CandidatePanel({ c, region }: { c: Candidate; region: Region | undefined }) {
  const navigate = useNavigate();
  const { rows, problem } = useShortlist();
  const [onHeld, setOnHeld] = useState(c.onHeld > 0);
  const listed = isListed(rows, c);
  const draft = draftOf(c, onHeld);
  // Name, by my law, by the market's; what belongs to neither stands across both.
  const figures: [string, string, string?][] = [
    ['chance of profit', `${percent(c.ownChance)} %`, `${percent(c.marketChance)} %`],
    ['expected', fixed(c.ownExpected, 2, true), fixed(c.marketExpected, 2, true)],
    ['worst 5 %', fixed(c.ownWorst5, 2), ''],
    ['break-evens', c.breakEvens.map((e) => fixed(e, 2)).join(', ') || 'none'],
    [
      'max profit, max loss',
      `${c.maxProfit == null ? 'no limit' : fixed(c.maxProfit, 2)}, ${c.maxLoss == null ? 'no limit' : fixed(c.maxLoss, 2)}`,
    ],
  ];
  return (
    <div className="flex flex-wrap gap-x-5 gap-y-2" data-testid="candidate">
      <div>
        <Picture c={c} region={region} />
        <p className="text-[12px] text-ink2">
          One package on the date{region ? '; the region is tinted' : ''}
          {region?.lot != null && c.family !== 'shares' && `; dashed: ${count(region.lot)} bought`}.
        </p>
      </div>
      <div className="flex min-w-0 flex-1 basis-72 flex-col gap-2">
        <table aria-label="Both laws" className="w-full border-collapse text-[13px]">
          <thead>
            <tr className="text-[12px] text-ink2">
              <th className="text-left font-normal">one package</th>
              <th className="px-2 text-right font-normal">my law</th>
              <th className="text-right font-normal">the market’s</th>
            </tr>
          </thead>
          <tbody>
            {figures.map(([name, own, market]) => (
              <tr key={name} className="border-t border-hair">
                <td className="py-0.5">{name}</td>
                <td
                  className={`num ${market === undefined ? '' : 'px-2'}`}
                  colSpan={market === undefined ? 2 : 1}
                >
                  {own}
                </td>
                {market !== undefined && <td className="num">{market}</td>}
              </tr>
            ))}
          </tbody>
        </table>
        {c.allowed != null && (
          <p>
            My rule about risk allows {count(c.allowed)} {c.allowed === 1 ? 'package' : 'packages'}.
          </p>
        )}
        {c.against.length > 0 && (
          <ul className="list-disc pl-4 text-[12px] leading-4 text-ink2">
            {c.against.map((a) => (
              <li key={a}>{a}</li>
            ))}
          </ul>
        )}
        {c.onHeld > 0 && (
          <Tick name={`on the ${count(c.onHeld)} held`} on={onHeld} onChange={setOnHeld} />
        )}
        <div className="flex flex-wrap gap-1.5">
          <Button
            aria-pressed={listed}
            disabled={!listed && rows.length >= MOST}
            className={listed ? '!border-brass !bg-brass-soft text-brass' : ''}
            onClick={() => {
              turn(c);
            }}
          >
            {listed ? 'on the shortlist ×' : 'to the shortlist'}
          </Button>
          <Button
            onClick={() => {
              toTray([draft]);
            }}
          >
            to the tray
          </Button>
          <Button
            onClick={() => {
              if (toTray([draft])) void navigate('/bench');
            }}
          >
            bench
          </Button>
          <Button
            onClick={() => {
              openDraft(draft);
            }}
          >
            ticket
          </Button>
        </div>
        {problem && (
          <p role="alert" className="text-loss">
            {problem}
          </p>
        )}
      </div>
    </div>
  );
}
