import type { Evaluation } from '../api/client';
import { money, tone } from '../money';

/** What the order can make and lose, and what is left to use: in sight whatever is being written. */
export function Outcome({ evaluation: e }: { evaluation: Evaluation }) {
  const about = e.estimate ? ', about' : '';
  const figures: [string, string, string][] = [
    [
      `max profit${about}`,
      e.most.unlimited ? 'no limit' : money(e.most.profit, true),
      tone(e.most.profit ?? '1'),
    ],
    [
      `max loss${about}`,
      e.least.unlimited ? 'no limit' : money(e.least.profit),
      tone(e.least.profit ?? '-1'),
    ],
    [
      'break-even',
      e.evens.map((v) => (v.stretch ? `${v.from} on` : v.from)).join(', ') || 'none',
      '',
    ],
    ['buying power after', money(e.money.buyingPowerAfter), tone(e.money.buyingPowerAfter)],
  ];
  // Of what closes or rolls the picture tells what is left; the order alone says nothing.
  const shown = e.after ? figures.slice(3) : figures;
  return (
    <dl aria-label="Outcome" className="grid grid-cols-[auto_1fr_auto_1fr] gap-x-2">
      {shown.map(([name, value, look]) => (
        <div
          key={name}
          className={
            e.after ? 'col-span-4 flex justify-between' : 'col-span-2 grid grid-cols-subgrid'
          }
        >
          <dt className="text-ink2">{name}</dt>
          <dd className={`num font-semibold ${look === 'text-loss' ? look : ''}`}>{value}</dd>
        </div>
      ))}
    </dl>
  );
}
