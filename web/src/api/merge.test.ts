import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import type { Row } from './client';
import { MARKED, merge } from './merge';

const cell = (contract: string, bid: string | null, ask: string | null) =>
  ({ contract, bid, ask, bidSize: 1, askSize: 1, values: [] }) as unknown as Row['call'];
const row = (strike: number, bid: number | null): Row => ({
  strike: String(strike),
  at: strike,
  call: cell(`c${strike}`, bid === null ? null : bid.toFixed(2), '90.00'),
  put: cell(`p${strike}`, '1.00', '2.00'),
});
const book = fc.array(fc.option(fc.integer({ min: 1, max: 80 })), { minLength: 1, maxLength: 30 });

describe('changed rows', () => {
  it('replace their own, and leave every other the same object', () => {
    fc.assert(
      fc.property(book, fc.array(fc.nat(40)), (bids, places) => {
        const before = bids.map((b, i) => row(i, b));
        const changed = [...new Set(places)].map((i) => row(i, 81));
        const after = merge(before, changed, 0);
        expect(after.map((r) => r.strike)).toEqual(before.map((r) => r.strike));
        after.forEach((r, i) => {
          if (places.includes(i)) expect(r.call.bid).toBe('81.00');
          else expect(r).toBe(before[i]);
        });
      }),
    );
  });
  it('say which way a price went, and end that mark after a while', () => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 80 }), fc.integer({ min: 1, max: 80 }), (from, to) => {
        const [one] = merge([row(5, from)], [row(5, to)], 1_000);
        const way = to > from ? 'call-bid↑' : to < from ? 'call-bid↓' : undefined;
        expect(one?.moved?.cells).toBe(way);
        const [still] = merge(one && [one], [], 1_000 + MARKED);
        expect(still).toBe(one);
        const [later] = merge(one && [one], [], 1_001 + MARKED);
        expect(later?.moved).toBeUndefined();
      }),
    );
  });
  it('that appear or vanish have no way to go', () => {
    expect(merge([row(5, null)], [row(5, 3)], 0)[0]?.moved).toBeUndefined();
    expect(merge([row(5, 3)], [row(5, null)], 0)[0]?.moved).toBeUndefined();
  });
});
