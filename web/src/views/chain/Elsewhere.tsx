import type { Leg } from '../../api/client';
import { keyOf, parts } from '../../drafts/contract';
import { dayMonth } from '../../format';

/** Legs of the draft that are not among the rows, because they expire elsewhere. */
export function Elsewhere({ legs, chosen, onChoose }: { legs: Leg[] | undefined; chosen: string | undefined; onChoose: (key: string) => void }) {
  const others = (legs ?? []).filter((l) => keyOf(l.contract) !== chosen);
  return others.map((l) => {
    const p = parts(l.contract);
    return (
      <button key={l.contract} type="button" title="show its expiration" onClick={() => { onChoose(keyOf(l.contract)); }}
        className={`h-[20px] rounded px-1.5 text-[12px] font-semibold whitespace-nowrap ${l.quantity > 0 ? 'bg-brass text-on-brass' : 'bg-sold text-on-sold'}`}>
        {l.quantity > 0 ? 'buy' : 'sell'} {Math.abs(l.quantity)} × {p.strike} {p.kind === 'C' ? 'call' : 'put'}, {dayMonth(p.date)}
      </button>
    );
  });
}
