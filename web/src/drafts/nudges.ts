/** The keys that move a draft, the same wherever it is shown. */
import type { Draft } from '../api/client';
import type { Keys } from '../ui/keys';
import { later, ratio, recentre, scale, shift, turn, widen } from './moves';
import { change, redo, undo } from './store';

export function nudges(
  symbol: string,
  strikesOf: (contract: string) => number[],
  expirations: string[],
  price: number | undefined,
): Keys {
  const move = (f: (d: Draft) => Draft) => () => {
    change(symbol, f);
  };
  return {
    '[': move((d) => shift(d, strikesOf, -1)),
    ']': move((d) => shift(d, strikesOf, 1)),
    '{': move((d) => later(d, expirations, -1)),
    '}': move((d) => later(d, expirations, 1)),
    '-': move((d) => widen(d, strikesOf, -1)),
    '=': move((d) => widen(d, strikesOf, 1)),
    ',': move((d) => scale(d, -1)),
    '.': move((d) => scale(d, 1)),
    '<': move((d) => ratio(d, -1)),
    '>': move((d) => ratio(d, 1)),
    c: price === undefined ? undefined : move((d) => recentre(d, strikesOf, price)),
    x: move(turn),
    z: undo,
    Z: redo,
  };
}
