import type { BenchAnswer } from '../../api/client';
import { fixed, percent } from '../../format';

export type Between = { low: string; high: string };
type Props = { bench: BenchAnswer; between: Between | undefined; onChange: (b: Between) => void };
const field = 'num h-7 w-24 rounded border border-strong bg-ground px-2 font-semibold';

function Lines({ title, rows }: { title: string; rows: [string, string][] }) {
  return (
    <table className="w-60">
      <caption className="pb-1 text-left font-semibold">{title}</caption>
      <tbody>{rows.map(([name, value]) => <tr key={name} className="border-t border-hair"><th scope="row" className="py-1 text-left font-normal text-ink2">{name}</th><td className="num font-semibold">{value}</td></tr>)}</tbody>
    </table>
  );
}

/** Where the price may end and what it may touch on the way, for two prices. */
export function ChancePanel({ bench: b, between, onChange }: Props) {
  const shown = between ?? { low: b.lower.toFixed(2), high: b.higher.toFixed(2) };
  const share = (v: number | undefined) => `${percent(v, 1)} %`;
  const [low, high] = [fixed(b.lower, 2), fixed(b.higher, 2)];
  return (
    <div className="flex flex-col gap-4">
      <div className="flex items-center gap-3">
        <label className="flex items-center gap-2">lower price<input inputMode="decimal" value={shown.low} onChange={(e) => { onChange({ ...shown, low: e.target.value.trim() }); }} className={field} /></label>
        <label className="flex items-center gap-2">higher price<input inputMode="decimal" value={shown.high} onChange={(e) => { onChange({ ...shown, high: e.target.value.trim() }); }} className={field} /></label>
      </div>
      <div className="flex flex-wrap items-start gap-8">
        <Lines title={`Ends in ${fixed(b.days, 0)} days`} rows={[[`below ${low}`, share(b.ends[0])], ['between', share(b.ends[1])], [`above ${high}`, share(b.ends[2])]]} />
        <Lines title="Touched before" rows={[[low, share(b.touches[0])], [high, share(b.touches[1])], ['either', share(b.touches[2])], ['both', share(b.touches[3])], ['neither', share(b.touches[4])]]} />
        <Lines title="Of this draft" rows={[['profit at its end', share(b.chanceOfProfit)], ...(b.reaching == null ? [] : [['half of the most made before', share(b.reaching)] as [string, string]]), ['mean profit, before costs', fixed(b.expected, 0, true)]]} />
      </div>
      <p className="max-w-[640px] font-serif text-[15px] text-ink2 italic">Under one volatility for all prices, with the drift of interest less dividends. At the market's own volatility the mean of any fairly priced draft lies near zero: it says what the price allows, not what will be. Dividends that shares would be paid on the way are not counted.</p>
    </div>
  );
}
