import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import type { ScoutRow } from '../../api/client';
import { fits, told, withRange } from './wanted';

const row = (rank: number | null, volume: number) => ({ rank, volume }) as ScoutRow;

describe('ranges', () => {
  it('hold their ends, all of them at once, and nothing that has no figure', () => {
    fc.assert(
      fc.property(fc.integer(), fc.integer(), fc.integer(), (x, a, b) => {
        const [from, to] = [Math.min(a, b), Math.max(a, b)];
        const ranges = [{ figure: 'rank', from, to } as const];
        expect(fits(row(x, 1), ranges)).toBe(x >= from && x <= to);
        expect(fits(row(from, 1), ranges) && fits(row(to, 1), ranges)).toBe(true);
        expect(fits(row(null, 1), ranges)).toBe(false);
        expect(fits(row(x, 1), [...ranges, { figure: 'volume', from: 2 }])).toBe(false);
      }),
    );
  });
  it('on one figure are one', () => {
    const once = withRange([], { figure: 'rank', from: 50 });
    const twice = withRange(once, { figure: 'rank', to: 20 });
    expect(twice).toEqual([{ figure: 'rank', to: 20 }]);
    expect(told({ figure: 'rank', from: 50, to: 90 })).toBe('rank 50 to 90');
  });
});
