import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { cents, isNegative, money, negated, sum } from './money';

/** "-12.34" of a number of cents. */
const ofCents = (n: number) => {
  const size = String(Math.abs(n)).padStart(3, '0');
  return `${n < 0 ? '-' : ''}${size.slice(0, -2)}.${size.slice(-2)}`;
};
const amount = fc.integer({ min: -1_000_000_000, max: 1_000_000_000 });
const digits = (text: string) => text.replace(/\D/g, '');

describe('money', () => {
  it('is shown with every digit it has', () => {
    fc.assert(
      fc.property(amount, (n) => {
        expect(digits(money(ofCents(n)))).toBe(digits(ofCents(n)));
      }),
    );
  });
  it('adds up exactly, in any order', () => {
    fc.assert(
      fc.property(fc.array(amount), (all) => {
        const texts = all.map(ofCents);
        const exact = ofCents(all.reduce((a, b) => a + b, 0));
        expect(sum(texts)).toBe(exact);
        expect(sum([...texts].reverse())).toBe(exact);
      }),
    );
  });
  it('is nothing together with its opposite', () => {
    fc.assert(
      fc.property(amount, (n) => {
        const one = ofCents(n);
        expect(sum([one, negated(one)])).toBe('0.00');
        expect(negated(negated(one))).toBe(one);
        expect(isNegative(negated(one))).toBe(n > 0);
      }),
    );
  });
  it('is told to the cent, a half away from nothing', () => {
    expect(cents('1234.565')).toBe('1,234.57');
    expect(cents('-0.005')).toBe('−0.01');
    expect(cents('-0.004')).toBe('0.00');
    expect(cents('10.0078125', true)).toBe('+10.01');
    fc.assert(
      fc.property(amount, (n) => {
        expect(cents(ofCents(n))).toBe(money(ofCents(n)));
      }),
    );
  });
  it('leaves eighths and 64ths as their market writes them', () => {
    expect(money('-1-32')).toBe('−1-32');
    expect(cents('1-32')).toBe('1-32');
  });
});
