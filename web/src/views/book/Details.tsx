import { useMutation, useQuery } from '@tanstack/react-query';
import { scaleLinear } from 'd3-scale';
import { useState } from 'react';
import { Link } from 'react-router';
import { api, must, type Position } from '../../api/client';
import { historyQuery } from '../../api/queries';
import { RangeStrip } from '../../chart/glyph';
import { BARS, HistoryPane } from '../../chart/HistoryPane';
import { isOption, parts } from '../../drafts/contract';
import { fixed } from '../../format';
import { money, tone } from '../../money';
import { MarginSheet } from '../../ticket/MarginSheet';
import { Button } from '../../ui/controls';
import { Term } from '../../ui/terms';

/** Height of the past of a position. */
const PAST = 260;

/** What is to happen to a bought option at its end; asked in its last week. */
function Exercise({ leg }: { leg: Position['legs'][number] }) {
  const say = useMutation({
    mutationFn: async () => {
      must(
        await api.PUT('/api/exercise', {
          body: { contract: leg.contract, exercise: leg.declined === true },
        }),
      );
    },
  });
  const words = leg.declined ? 'left to expire' : 'exercised if in the money';
  return (
    <Button
      weight="quiet"
      className="ml-1 !h-[18px] !px-1 text-[12px]"
      aria-label={`${leg.label} at its end: ${words}; change`}
      disabled={say.isPending}
      onClick={() => {
        say.mutate();
      }}
    >
      {words}
    </Button>
  );
}

/** The past of the underlying with the position's strikes, break-evens and opening. */
function Past({ p }: { p: Position }) {
  const strikes = [
    ...new Set(p.legs.filter((l) => isOption(l.contract)).map((l) => parts(l.contract).strike)),
  ];
  const evens = p.evens.map((e) => Number(e.from));
  const bars = useQuery(historyQuery(p.symbol, false, BARS)).data?.bars ?? [];
  const last = bars.at(-1)?.close;
  if (last === undefined) return <p className="px-2 text-ink2">Reading the past of {p.symbol}</p>;
  const all = [
    ...bars.flatMap((b) => [b.low, b.high]),
    ...strikes,
    ...evens.filter((e) => Math.abs(e / last - 1) < 0.4),
  ];
  const y = scaleLinear([Math.min(...all), Math.max(...all)], [PAST - 16, 22]);
  const ticks = y.ticks(6);
  return (
    <div className="relative" style={{ height: PAST }}>
      {ticks.map((t) => (
        <span
          key={t}
          className="absolute left-0 w-[52px] text-right text-[11px] leading-3 text-ink2"
          style={{ top: y(t) - 6 }}
        >
          {fixed(t, t < 100 ? 1 : 0)}
        </span>
      ))}
      <div className="absolute top-0 left-[60px]">
        <HistoryPane
          symbol={p.symbol}
          level={last}
          weekly={false}
          axis={{ height: PAST, y: (v) => y(v) }}
          width={900}
          strikes={strikes}
          evens={evens}
          entries={[p.opened.slice(0, 10)]}
        />
      </div>
    </div>
  );
}

/** What a row has no room for: legs with their prices, the money of the campaign, its range in
 * prices, the past, the margin. */
export function Details({ p }: { p: Position }) {
  const [past, setPast] = useState(false);
  return (
    <div className="flex flex-col gap-2 px-2 py-2">
      <div className="flex flex-wrap gap-x-8 gap-y-2">
        <table>
          <caption className="sr-only">Legs</caption>
          <thead>
            <tr className="text-[12px] text-ink2">
              <th className="pr-4 text-left font-normal">leg</th>
              <th className="px-2 text-right font-normal">opened at</th>
              <th className="px-2 text-right font-normal">mark</th>
              <th className="px-2 text-right font-normal">
                <Term of="openProfit" />
              </th>
            </tr>
          </thead>
          <tbody>
            {p.legs.map((l) => (
              <tr key={l.contract}>
                <td className="pr-4 whitespace-nowrap">
                  {fixed(l.quantity, 0, true)} {l.label}
                  {l.declined != null && <Exercise leg={l} />}
                </td>
                <td className="num px-2">{l.openedAt}</td>
                <td className="num px-2">{l.mark}</td>
                <td className={`num px-2 ${tone(l.profit)}`}>{money(l.profit, true)}</td>
              </tr>
            ))}
          </tbody>
        </table>
        <dl className="grid grid-cols-[auto_auto] content-start gap-x-4">
          {(
            [
              ['cash, before fees', money(p.netCash, true)],
              ['realised', money(p.realised, true)],
              ['fees', money(p.fees)],
              ['max profit', p.most == null ? 'no limit' : money(p.most, true)],
              ['max loss', p.least == null ? 'no limit' : money(p.least)],
              ['break-even', p.evens.map((e) => money(e.from)).join(' · ') || 'none'],
            ] as const
          ).map(([name, value]) => [
            <dt key={name} className="text-ink2">
              {p.estimate && name.startsWith('max') ? `${name}, about` : name}
            </dt>,
            <dd key={`${name} value`} className="num">
              {value}
            </dd>,
          ])}
        </dl>
        <div className="flex flex-col items-start gap-1">
          {p.strip ? (
            <RangeStrip strip={p.strip} id={`range-${p.campaign}`} width={260} />
          ) : (
            <span className="text-ink2">no range: a leg has no market</span>
          )}
          {p.unvalued.length > 0 && (
            <span className="text-loss">no market: {p.unvalued.join(', ')}, counted at cost</span>
          )}
          <span>
            <Link
              to={`/rework/${p.campaign}`}
              className="px-2 font-semibold text-brass underline-offset-2 hover:underline"
            >
              rework
            </Link>
            <Button
              weight="quiet"
              aria-expanded={past}
              aria-label={`past of ${p.symbol} with ${p.name}`}
              onClick={() => {
                setPast(!past);
              }}
            >
              past {past ? '▴' : '▾'}
            </Button>
            <MarginSheet
              request={{
                symbol: p.symbol,
                legs: p.closing.map((l) => ({ ...l, quantity: -l.quantity * p.packages })),
              }}
              name={`${p.symbol} ${p.name}`}
              weight="quiet"
            />
          </span>
        </div>
      </div>
      {past && <Past p={p} />}
    </div>
  );
}
