import { useQuery } from '@tanstack/react-query';
import { ledgerQuery } from '../../api/queries';
import { longWhen, money, tone } from '../../format';
import { Notice } from '../../ui/controls';

const th = 'sticky top-0 border-b border-strong bg-ground px-2 py-1 text-[12px] font-normal text-ink2';
const right = `${th} text-right`;
const left = `${th} text-left`;

export function LedgerView() {
  const ledger = useQuery(ledgerQuery);
  const l = ledger.data;
  if (ledger.error) return <div className="p-6"><Notice>{ledger.error.message}</Notice></div>;
  if (!l) return <p className="p-6 text-ink2">Reading the ledger</p>;
  return (
    <div className="h-full overflow-auto px-4 pb-6" tabIndex={0}>
      <h1 className="pt-3 pb-1 font-serif text-[22px]">Ledger</h1>
      <p data-testid="reconciled" className="pb-2 font-serif text-[15px] italic">
        Paid in {money(l.paidIn)}, booked {money(l.realised, true)}, fees {money(l.fees)}, laid out for open positions {money(l.positions)}: together {money(l.sum)}, and the cash is {money(l.cash)}.
        {l.violations.length === 0 && l.sum === l.cash ? ' It reconciles to the cent.' : ''}
      </p>
      {l.violations.map((v) => <Notice key={v}>{v}</Notice>)}
      <table className="w-full border-collapse">
        <thead><tr><th className={right}>#</th><th className={left}>when</th><th className={left}>what</th><th className={right}>amount</th><th className={right}>fees</th><th className={right}>booked</th><th className={right}>cash after</th></tr></thead>
        <tbody>
          {[...l.lines].reverse().map((x) => (
            <tr key={x.number} className="border-b border-hair">
              <td className="num px-2 text-ink2">{x.number}</td>
              <td className="px-2 py-1 whitespace-nowrap tabular-nums">{longWhen(x.at)}</td>
              <td className="px-2">{x.memo}{x.order != null && <span className="text-ink2"> · order {x.order}</span>}</td>
              <td className={`num px-2 ${tone(x.amount)}`}>{money(x.amount, true)}</td>
              <td className="num px-2">{money(x.fees)}</td>
              <td className={`num px-2 ${tone(x.realised)}`}>{money(x.realised, true)}</td>
              <td className="num px-2 font-semibold">{money(x.cash)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
