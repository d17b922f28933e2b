import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { fixed, longDate, readDate } from './format';

describe('model numbers', () => {
  it('never show a signed nothing, and keep their value to the last decimal', () => {
    fc.assert(
      fc.property(
        fc.double({ min: -1e9, max: 1e9, noNaN: true }),
        fc.integer({ min: 0, max: 4 }),
        (value, decimals) => {
          const text = fixed(value, decimals, true);
          expect(text).not.toMatch(/^[−+]0(\.0*)?$/);
          const back = Number(text.replaceAll(',', '').replace('−', '-').replace('+', ''));
          expect(Math.abs(back - value)).toBeLessThanOrEqual(0.5000001 * 10 ** -decimals);
        },
      ),
    );
  });
  it('are a gap where there is none', () => {
    for (const none of [null, undefined, NaN, Infinity]) expect(fixed(none, 2)).toBe('');
  });
});

describe('dates', () => {
  const day = fc
    .date({ min: new Date('1990-01-01'), max: new Date('2099-12-31'), noInvalidDate: true })
    .map((d) => d.toISOString().slice(0, 10));
  it('are read as they are written', () => {
    fc.assert(
      fc.property(day, (iso) => {
        expect(readDate(longDate(iso))).toBe(iso);
        expect(readDate(longDate(iso).toUpperCase())).toBe(iso);
        expect(readDate(iso)).toBe(iso);
      }),
    );
  });
  it('are no day when the calendar has none', () => {
    for (const text of ['29 Feb 2031', '31 Apr 2031', '2031-13-01', '18 Foo 2031', '18 Apr', ''])
      expect(readDate(text)).toBeUndefined();
    expect(readDate('29 February 2032')).toBe('2032-02-29');
  });
});
