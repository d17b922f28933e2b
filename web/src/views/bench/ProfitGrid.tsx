import type { BenchAnswer } from '../../api/client';
import { dayMonth, fixed } from '../../format';
import { Button } from '../../ui/controls';

const HATCHED = 'repeating-linear-gradient(45deg, transparent 0 5px, color-mix(in srgb, var(--loss) 22%, transparent) 5px 6px)';

/** Chosen prices by dates as plain numbers; losses hatched. */
export function ProfitGrid({ bench: b }: { bench: BenchAnswer }) {
  // The chosen date stands first in the answer; here all go by time.
  const dates = [...b.lines].sort((p, q) => p.days - q.days).filter((l, i, all) => i === 0 || l.days - (all[i - 1]?.days ?? 0) > 0.3);
  const heads = [...dates.map((l) => ({ name: l.days < 0.05 ? 'now' : dayMonth(l.at.slice(0, 10)), note: `${fixed(l.days, 0)} d` })), { name: dayMonth(b.expiry), note: b.estimate ? 'end, about' : 'end' }];
  const rows = b.gridPrices.map((price, i) => ({ price, cells: [...dates.map((l) => l.grid[i] ?? 0), b.gridOutline[i] ?? 0] })).reverse();
  const csv = () => [['price', ...heads.map((h) => h.name)], ...rows.map((r) => [r.price.toFixed(2), ...r.cells.map((c) => c.toFixed(2))])].map((r) => r.join(',')).join('\r\n');
  return (
    <div>
      <table className="border-collapse tabular-nums" aria-label="Profit by price and date">
        <thead>
          <tr><th className="px-3 py-1 text-right font-normal text-ink2">price</th>{heads.map((h) => <th key={`${h.name} ${h.note}`} className="px-3 py-1 text-right leading-4 font-semibold">{h.name}<br /><span className="font-normal text-ink2">{h.note}</span></th>)}</tr>
        </thead>
        <tbody>
          {rows.map((r) => {
            const here = Math.abs(r.price / b.spot - 1) < 1e-9;
            return (
              <tr key={r.price} className={`border-t ${here ? 'border-ink font-semibold' : 'border-hair'}`}>
                <th scope="row" className="px-3 py-1 text-right font-semibold">{fixed(r.price, 2)} <span className="font-normal text-ink2">{fixed((r.price / b.spot - 1) * 100, 1, true)} %</span></th>
                {r.cells.map((c, i) => <td key={i} className="min-w-[84px] px-3 py-1 text-right" style={c < 0 ? { backgroundImage: HATCHED } : undefined}>{fixed(c, 0, true)}</td>)}
              </tr>
            );
          })}
        </tbody>
      </table>
      <p className="mt-2 flex items-center gap-3 text-ink2"><Button onClick={() => { void navigator.clipboard.writeText(csv()); }}>copy as CSV</Button>half deviations of the first expiration around the price now, profit in money</p>
    </div>
  );
}
