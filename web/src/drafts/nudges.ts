/** What moves a draft, the same wherever it is shown. */
import type { Draft } from '../api/client';
import type { Acts } from '../ui/commands';
import { later, ratio, recentre, scale, shift, turn, widen } from './moves';
import { change, redo, undo } from './store';

export function nudges(
  symbol: string,
  strikesOf: (contract: string) => number[],
  expirations: string[],
  price: number | undefined,
): Acts {
  const move = (f: (d: Draft) => Draft) => () => {
    change(symbol, f);
  };
  return {
    strikeDown: move((d) => shift(d, strikesOf, -1)),
    strikeUp: move((d) => shift(d, strikesOf, 1)),
    nearer: move((d) => later(d, expirations, -1)),
    later: move((d) => later(d, expirations, 1)),
    narrower: move((d) => widen(d, strikesOf, -1)),
    wider: move((d) => widen(d, strikesOf, 1)),
    fewer: move((d) => scale(d, -1)),
    more: move((d) => scale(d, 1)),
    lessSold: move((d) => ratio(d, -1)),
    moreSold: move((d) => ratio(d, 1)),
    recentre: price === undefined ? undefined : move((d) => recentre(d, strikesOf, price)),
    reverse: move(turn),
    undo,
    redo,
  };
}
