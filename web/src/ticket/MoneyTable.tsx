import type { Evaluation } from '../api/client';
import { money, tone } from '../format';

/** Money now and after, and what is looked at before it moves. */
export function MoneyTable({ evaluation: e }: { evaluation: Evaluation }) {
  const rows: [string, string, string][] = [
    [e.money.cash.startsWith('-') ? 'you pay' : 'you receive', money(e.money.cash.replace('-', '')), ''],
    ['fees', money(e.money.fees), ''],
    ['margin this changes', money(e.money.requirementChange, true), ''],
    ['buying power now', money(e.money.buyingPowerNow), ''],
    ['buying power after', money(e.money.buyingPowerAfter), tone(e.money.buyingPowerAfter) === 'text-loss' ? 'text-loss' : ''],
  ];
  return (
    <table className="w-full" aria-label="Money">
      <tbody>
        {rows.map(([name, value, look]) => (
          <tr key={name} className="border-b border-hair">
            <th scope="row" className="py-0.5 text-left font-normal text-ink2">{name}</th>
            <td className={`num font-semibold ${look}`}>{value}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

const SIGNS: Record<string, [string, string]> = { fine: ['○', 'text-ink2'], note: ['◆', 'text-brass'], warning: ['▲', 'text-loss'] };
export function Checks({ evaluation: e }: { evaluation: Evaluation }) {
  return (
    <ul aria-label="Checks" className="flex flex-col gap-0.5">
      {e.checks.map((c) => {
        const [sign, look] = SIGNS[c.verdict] ?? ['○', 'text-ink2'];
        return <li key={c.text} className={`flex gap-1.5 ${look}`}><span aria-hidden>{sign}</span><span><span className="sr-only">{c.verdict}: </span>{c.text}</span></li>;
      })}
    </ul>
  );
}
