import type { Leg } from '../../api/client';
import { useDraftOf } from '../../drafts/answer';
import { isOption, keyOf, parts } from '../../drafts/contract';
import { dayMonth } from '../../format';

const chip = (l: Leg) =>
  `h-[20px] rounded px-1.5 text-[12px] font-semibold whitespace-nowrap ${l.quantity > 0 ? 'bg-brass text-on-brass' : 'bg-sold text-on-sold'}`;

type Props = {
  symbol: string;
  open: string[];
  own: string;
  onChoose: (key: string) => void;
  onRemove: (contract: string) => void;
};
/** Legs of the draft that are not among the rows: those that expire elsewhere, and the underlying itself. */
export function Elsewhere({ symbol, open, own, onChoose, onRemove }: Props) {
  const others = (useDraftOf(symbol)?.legs ?? []).filter(
    (l) => !isOption(l.contract) || !open.includes(keyOf(l.contract)),
  );
  return others.map((l) => {
    const side = l.quantity > 0 ? 'buy' : 'sell';
    if (!isOption(l.contract)) {
      return (
        <button
          key={l.contract}
          type="button"
          data-leg={l.contract}
          title="take it out of the draft"
          onClick={() => {
            onRemove(l.contract);
          }}
          className={chip(l)}
        >
          {side} {Math.abs(l.quantity)} {own} <span aria-hidden>×</span>
        </button>
      );
    }
    const p = parts(l.contract);
    return (
      <button
        key={l.contract}
        type="button"
        title="show its expiration"
        onClick={() => {
          onChoose(keyOf(l.contract));
        }}
        className={chip(l)}
      >
        {side} {Math.abs(l.quantity)} × {p.strike} {p.kind === 'C' ? 'call' : 'put'},{' '}
        {dayMonth(p.date)}
      </button>
    );
  });
}
