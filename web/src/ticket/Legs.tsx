import type { Evaluation } from '../api/client';
import { dayMonth } from '../format';

/** What so many packages buy and sell, a line each; what is sold stands out. */
export function Legs({ evaluation: e, packages }: { evaluation: Evaluation; packages: number }) {
  return (
    <ul className="flex flex-col">
      {e.legs.map((l) => (
        <li key={l.contract} className={l.ratio < 0 ? 'font-semibold' : ''}>
          {l.ratio > 0 ? 'buy' : 'sell'} {Math.abs(l.ratio) * packages}{' '}
          {l.expiry ? `× ${l.label}, ${dayMonth(l.expiry)}` : l.label}
        </li>
      ))}
    </ul>
  );
}
