import type { Evaluation } from '../api/client';
import { money, tone } from '../money';

/** Money now and after, and what is looked at before it moves. */
export function MoneyTable({ evaluation: e }: { evaluation: Evaluation }) {
  const rows: [string, string, string][] = [
    [
      e.money.cash.startsWith('-') ? 'you pay' : 'you receive',
      money(e.money.cash.replace('-', '')),
      '',
    ],
    ['fees', money(e.money.fees), ''],
    ['margin this changes', money(e.money.requirementChange, true), ''],
    ['buying power now', money(e.money.buyingPowerNow), ''],
    [
      'buying power after',
      money(e.money.buyingPowerAfter),
      tone(e.money.buyingPowerAfter) === 'text-loss' ? 'text-loss' : '',
    ],
  ];
  return (
    <table className="w-full" aria-label="Money">
      <tbody>
        {rows.map(([name, value, look]) => (
          <tr key={name} className="border-b border-hair">
            <th scope="row" className="py-0.5 text-left font-normal text-ink2">
              {name}
            </th>
            <td className={`num font-semibold ${look}`}>{value}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

const SIGNS: Record<string, [string, string]> = {
  fine: ['○', 'text-ink2'],
  note: ['◆', 'text-brass'],
  warning: ['▲', 'text-loss'],
  blocking: ['■', 'text-loss'],
};
type ChecksProps = {
  evaluation: Evaluation;
  ticked?: string[];
  onTick?: (text: string, on: boolean) => void;
  /** What is in order is only counted. */
  folded?: boolean;
};
/** Verdicts with their reasons; where they are to be ticked, warnings have a box. */
export function Checks({ evaluation: e, ticked = [], onTick, folded = false }: ChecksProps) {
  const fine = e.checks.filter((c) => c.verdict === 'fine').length;
  const told = folded ? e.checks.filter((c) => c.verdict !== 'fine') : e.checks;
  return (
    <ul aria-label="Checks" className="flex flex-col gap-0.5">
      {told.map((c) => {
        const [sign, look] = SIGNS[c.verdict] ?? ['○', 'text-ink2'];
        const words = (
          <span>
            <span className="sr-only">{c.verdict}: </span>
            {c.text}
          </span>
        );
        if (onTick && c.verdict === 'warning') {
          return (
            <li key={c.text} className={look}>
              <label className="flex items-start gap-1.5">
                <input
                  type="checkbox"
                  checked={ticked.includes(warningKey(c))}
                  onChange={(ev) => {
                    onTick(warningKey(c), ev.target.checked);
                  }}
                  className="mt-0.5 accent-[var(--brass)]"
                />
                {words}
              </label>
            </li>
          );
        }
        return (
          <li key={c.text} className={`flex gap-1.5 ${look}`}>
            <span aria-hidden>{sign}</span>
            {words}
          </li>
        );
      })}
      {folded && fine > 0 && (
        <li className="flex gap-1.5 text-ink2">
          <span aria-hidden>○</span>
          {fine} {fine === 1 ? 'check' : 'checks'} in order
        </li>
      )}
    </ul>
  );
}

/** A warning is what was looked at, of which leg, at which value: another value is another warning. */
export const warningKey = (c: Evaluation['checks'][number]) =>
  `${c.code} ${c.about} ${c.value ?? ''}`;
