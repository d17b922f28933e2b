import fc from 'fast-check';
import { expect, test } from 'vitest';
import { blank, readNum, replaced, varies, writeNum } from './drill';

test('what is written in a field of numbers is read back', () => {
  const number = fc.integer({ min: -100_000, max: 100_000 }).map((n) => n / 100);
  fc.assert(
    fc.property(fc.array(number, { minLength: 1, maxLength: 5 }), (all) => {
      const n = all.length === 1 ? (all[0] ?? 0) : all;
      expect(readNum(writeNum(n))).toEqual(n);
    }),
  );
  expect(readNum('0.16; 0.2 0.25')).toEqual([0.16, 0.2, 0.25]);
  for (const text of ['', 'x', '1, x', '1..2']) expect(readNum(text)).toBeUndefined();
});

test('a drill varies where a number of it is a list, however deep, and lists of tables are none', () => {
  const drill = blank('WXMR', '2029-01-02', '2031-03-10');
  expect(varies(drill)).toBe(false);
  const legs = replaced(drill.enter.legs, 1, {
    side: 'buy',
    quantity: 1,
    right: 'put',
    strike: { leg: 1, points: [-25, -50] },
  });
  expect(varies({ ...drill, enter: { ...drill.enter, legs } })).toBe(true);
  expect(replaced([1, 2, 3], 1, undefined)).toEqual([1, 3]);
});
