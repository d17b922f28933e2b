import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { below, contour } from './contour';
import { makeAxis, reach, ROW } from './axis';
import { LINE, spread } from './spread';

/** Listed strikes, rising, at uneven distances. */
const strikes = fc
  .uniqueArray(fc.integer({ min: 1, max: 4_000 }), { minLength: 2, maxLength: 60 })
  .map((all) => all.sort((a, b) => a - b).map((k) => k / 4));

describe('the price axis', () => {
  it('has every strike in the middle of its row, and reads back every price', () => {
    fc.assert(
      fc.property(
        strikes,
        fc.boolean(),
        fc.double({ min: 0, max: 1, noNaN: true }),
        (ks, down, part) => {
          const rows = down ? [...ks].reverse() : ks;
          const axis = makeAxis(rows);
          rows.forEach((k, i) => {
            expect(axis.y(k)).toBeCloseTo((i + 0.5) * ROW, 6);
          });
          const [low, high] = reach(axis);
          const price = low + part * (high - low);
          expect(axis.price(axis.y(price))).toBeCloseTo(price, 6);
        },
      ),
    );
  });
  it('never turns back between rows', () => {
    fc.assert(
      fc.property(
        strikes,
        fc.double({ min: 0, max: 1_000, noNaN: true }),
        fc.double({ min: 0, max: 1_000, noNaN: true }),
        (ks, a, b) => {
          const axis = makeAxis(ks);
          if (a < b) expect(axis.y(a)).toBeLessThanOrEqual(axis.y(b));
        },
      ),
    );
  });
});

describe('names beside the picture', () => {
  it('keep their order, a line apart, clear of the price, inside while there is room', () => {
    const levels = fc.array(
      fc.record({
        name: fc.string(),
        y: fc.double({ min: -50, max: 650, noNaN: true }),
        ours: fc.boolean(),
      }),
      { maxLength: 7 },
    );
    fc.assert(
      fc.property(levels, fc.integer({ min: 150, max: 450 }), (all, price) => {
        const placed = spread(all, price, 600).sort((a, b) => a.y - b.y || a.at - b.at);
        expect(placed.length).toBe(all.length);
        placed.forEach((l, i) => {
          const before = placed[i - 1];
          if (before) expect(l.at - before.at).toBeGreaterThanOrEqual(LINE - 1e-9);
          expect(l.at).toBeGreaterThanOrEqual(0);
          expect(l.at).toBeLessThanOrEqual(600);
        });
      }),
    );
  });
});

describe('contours', () => {
  it('of a plane lie on the plane', () => {
    const side = fc
      .uniqueArray(fc.integer({ min: 0, max: 100 }), { minLength: 2, maxLength: 9 })
      .map((x) => x.sort((a, b) => a - b));
    const slope = fc.integer({ min: -9, max: 9 });
    fc.assert(
      fc.property(
        side,
        side,
        slope,
        slope,
        fc.integer({ min: -400, max: 400 }),
        (xs, ys, a, b, level) => {
          const values = xs.map((x) => ys.map((y) => a * x + b * y));
          for (const [x0, y0, x1, y1] of contour(xs, ys, values, level + 0.5)) {
            expect(a * x0 + b * y0).toBeCloseTo(level + 0.5, 6);
            expect(a * x1 + b * y1).toBeCloseTo(level + 0.5, 6);
          }
        },
      ),
    );
  });
  it('hatch exactly where a line lies below zero', () => {
    const values = fc.array(fc.integer({ min: -50, max: 50 }), { minLength: 2, maxLength: 20 });
    fc.assert(
      fc.property(
        values,
        fc.double({ min: 0, max: 1, noNaN: true, maxExcluded: true }),
        (vs, part) => {
          const ys = vs.map((_, i) => i * 3);
          const stretches = below(ys, vs);
          const y = part * (ys.at(-1) ?? 0);
          const i = Math.min(vs.length - 2, Math.floor(y / 3));
          const [v0 = 0, v1 = 0] = [vs[i], vs[i + 1]];
          const value = v0 + ((v1 - v0) * (y - i * 3)) / 3;
          const hatched = stretches.some(([from, to]) => y >= from && y <= to);
          if (Math.abs(value) > 1e-6) expect(hatched).toBe(value < 0);
        },
      ),
    );
  });
});
