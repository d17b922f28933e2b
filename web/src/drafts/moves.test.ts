import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import type { Draft } from '../api/client';
import { isOption, keyOf, otherKind, parts, withKey, withStrike } from './contract';
import * as moves from './moves';

const KEYS = ['NMOU:2031-03-21', 'NMOU:2031-04-18', 'NMOUW:2031-04-25', 'NMOU:2031-05-16'];
const STRIKES = Array.from({ length: 41 }, (_, i) => 150 + i * 2.5);
const strikesOf = () => STRIKES;

const contract = fc
  .tuple(fc.constantFrom(...KEYS), fc.constantFrom('C', 'P'), fc.constantFrom(...STRIKES))
  .map(([key, kind, strike]) => withStrike(withKey(`NMOU  310418${kind}00000000`, key), strike));
const quantity = fc.integer({ min: -6, max: 6 }).filter((n) => n !== 0);
/** Up to eight legs, each contract once, shares among them now and then. */
const draft: fc.Arbitrary<Draft> = fc
  .uniqueArray(
    fc.tuple(
      fc.oneof({ weight: 9, arbitrary: contract }, { weight: 1, arbitrary: fc.constant('NMOU') }),
      quantity,
    ),
    {
      selector: ([c]) => c,
      minLength: 1,
      maxLength: moves.MOST_LEGS,
    },
  )
  .map((legs) => ({ symbol: 'NMOU', legs: legs.map(([c, q]) => ({ contract: c, quantity: q })) }));

type Move = (d: Draft) => Draft;
const anyMove: fc.Arbitrary<Move> = fc.oneof(
  fc.tuple(contract, quantity).map(
    ([c, q]): Move =>
      (d) =>
        moves.add(d, c, q),
  ),
  fc.constant<Move>(moves.turn),
  fc.integer({ min: -3, max: 3 }).map(
    (n): Move =>
      (d) =>
        moves.shift(d, strikesOf, n),
  ),
  fc.constantFrom(1, -1).map(
    (n): Move =>
      (d) =>
        moves.widen(d, strikesOf, n),
  ),
  fc.constantFrom(1, -1).map(
    (n): Move =>
      (d) =>
        moves.scale(d, n),
  ),
  fc.constantFrom(1, -1).map(
    (n): Move =>
      (d) =>
        moves.ratio(d, n),
  ),
  fc.constantFrom(1, -1).map(
    (n): Move =>
      (d) =>
        moves.later(d, KEYS, n),
  ),
  fc.double({ min: 140, max: 260, noNaN: true }).map(
    (p): Move =>
      (d) =>
        moves.recentre(d, strikesOf, p),
  ),
  fc.nat(7).map(
    (i): Move =>
      (d) =>
        d.legs[i] && isOption(d.legs[i].contract) ? moves.swapKind(d, d.legs[i].contract) : d,
  ),
  fc.tuple(fc.nat(7), fc.constantFrom(...STRIKES)).map(
    ([i, k]): Move =>
      (d) =>
        d.legs[i] && isOption(d.legs[i].contract) ? moves.moveLeg(d, d.legs[i].contract, k) : d,
  ),
  fc.tuple(fc.nat(7), quantity).map(
    ([i, q]): Move =>
      (d) =>
        moves.more(d, d.legs[i]?.contract ?? '', q),
  ),
);
const written = (d: Draft) => [...d.legs].sort((a, b) => a.contract.localeCompare(b.contract));

describe('moves', () => {
  it('whatever their order: no contract twice, none of nothing, eight legs at most, listed strikes only', () => {
    fc.assert(
      fc.property(draft, fc.array(anyMove, { maxLength: 25 }), (start, all) => {
        const end = all.reduce((d, move) => move(d), start);
        const names = end.legs.map((l) => l.contract);
        expect(new Set(names).size).toBe(names.length);
        expect(end.legs.length).toBeLessThanOrEqual(moves.MOST_LEGS);
        for (const l of end.legs) {
          expect(Number.isInteger(l.quantity) && l.quantity !== 0).toBe(true);
          if (!isOption(l.contract)) continue;
          expect(STRIKES).toContain(parts(l.contract).strike);
          expect(KEYS).toContain(keyOf(l.contract));
        }
      }),
      { numRuns: 400 },
    );
  });
  it('that change nothing give the same draft back', () => {
    fc.assert(
      fc.property(draft, (d) => {
        expect(moves.remove(d, 'not held')).toBe(d);
        expect(moves.shift(d, strikesOf, 100)).toBe(d);
        expect(moves.later(d, [], 1)).toBe(d);
        const centred = moves.recentre(d, strikesOf, 200);
        expect(moves.recentre(centred, strikesOf, 200)).toBe(centred);
      }),
    );
  });
  it('are taken back by their opposite', () => {
    const there = (d: Draft, move: Move, back: Move) => {
      const moved = move(d);
      if (moved !== d) expect(written(back(moved))).toEqual(written(d));
    };
    fc.assert(
      fc.property(draft, fc.integer({ min: -5, max: 5 }), (d, n) => {
        there(d, moves.turn, moves.turn);
        there(
          d,
          (x) => moves.shift(x, strikesOf, n),
          (x) => moves.shift(x, strikesOf, -n),
        );
        there(
          d,
          (x) => moves.later(x, KEYS, n),
          (x) => moves.later(x, KEYS, -n),
        );
        there(
          d,
          (x) => moves.scale(x, 1),
          (x) => moves.scale(x, -1),
        );
      }),
    );
  });
  it('by packages keep one package as it is', () => {
    fc.assert(
      fc.property(draft, fc.integer({ min: -3, max: 9 }), (d, n) => {
        const scaled = moves.scale(d, n);
        expect(moves.unitOf(scaled)).toEqual(moves.unitOf(d));
        expect(moves.packages(scaled)).toBe(
          Math.max(moves.packages(d) + n, 0) || moves.packages(d),
        );
      }),
    );
  });
});

describe('a contract', () => {
  it('has the strike, kind and expiration it was given, and the rest of what it was', () => {
    fc.assert(
      fc.property(
        contract,
        fc.constantFrom(...STRIKES),
        fc.constantFrom(...KEYS),
        (c, strike, key) => {
          expect(parts(withStrike(c, strike))).toEqual({ ...parts(c), strike });
          expect(keyOf(withKey(c, key))).toBe(key);
          expect(parts(withKey(c, key)).strike).toBe(parts(c).strike);
          expect(otherKind(otherKind(c))).toBe(c);
          expect(parts(otherKind(c)).kind).not.toBe(parts(c).kind);
        },
      ),
    );
  });
});
