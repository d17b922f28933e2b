import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import type { Remedy } from '../../api/client';
import {
  considered,
  datesOf,
  lookOf,
  movesOf,
  opened,
  paperOf,
  stepsOf,
  switched,
  USUAL,
  type Chosen,
} from './look';

const leg = { contract: 'NMOU  310418C00195000', quantity: 1 };
const draft = (name?: string) => ({ symbol: 'NMOU', legs: [leg], name });
const key = fc.constantFrom('dA', 'dB', 's:mine', 'o60', 'c49');

describe('what is looked at', () => {
  it('is the same again after two switches of one thing', () => {
    fc.assert(
      fc.property(fc.array(key), key, (before, one) => {
        const campaign = one.startsWith('c');
        const c: Chosen = { ...USUAL, on: before.filter((k) => !k.startsWith('c')), off: [] };
        const once = { ...c, ...switched(c, one, campaign) };
        const twice = { ...once, ...switched(once, one, campaign) };
        expect(new Set(twice.on)).toEqual(new Set(c.on));
        expect(twice.off).toEqual(c.off);
        const list = campaign ? once.off : once.on;
        expect(list.includes(one)).toBe(!(campaign ? c.off : c.on).includes(one));
      }),
    );
  });
  it('asks for the drafts that are on, and for no other', () => {
    const all = considered(
      USUAL,
      { A: draft('mine'), C: { symbol: 'NMOU', legs: [] } },
      { old: draft() },
    );
    expect(all.map((d) => [d.key, d.name])).toEqual([
      ['dA', 'mine'],
      ['s:old', 'old'],
    ]);
    const look = lookOf({ ...USUAL, on: ['s:old', 'o60'] }, all);
    expect(look.drafts?.map((d) => d.key)).toEqual(['s:old']);
    expect(look.on).toEqual(['s:old', 'o60']);
  });
  it('tries a change in the place of its campaign', () => {
    const change = {
      campaign: 12,
      symbol: 'NMOU',
      words: 'close the calls',
      legs: [leg],
    } as Remedy;
    const look = lookOf({ ...USUAL, off: ['c3'] }, [], change);
    expect(look.off).toEqual(['c3', 'c12']);
    expect(look.drafts?.map((d) => d.key)).toEqual(['trial']);
    // One that closes all leaves nothing to be tried beside the rest.
    const closed = lookOf(USUAL, [], { ...change, legs: [] });
    expect(closed.off).toEqual(['c12']);
    expect(closed.drafts).toEqual([]);
  });
});

describe('moves', () => {
  it('go both ways from none, each once, ascending', () => {
    expect(movesOf([5, 1, 5])).toEqual([-5, -1, 0, 1, 5]);
    expect(stepsOf('1, 2 7.5')).toEqual([1, 2, 7.5]);
    for (const wrong of ['', '0', '-1', '1, x', '100']) expect(stepsOf(wrong)).toBeUndefined();
    expect(datesOf('30, 7 7')).toEqual([7, 30]);
    expect(datesOf('')).toEqual([]);
    for (const wrong of ['1.5', '-1', 'x', '1,2,3,4,5']) expect(datesOf(wrong)).toBeUndefined();
  });
});

describe('a paper portfolio', () => {
  it('comes back as it was kept, orders as they are', () => {
    const all = considered(USUAL, { A: draft('one') }, { two: draft() });
    const c: Chosen = { ...USUAL, held: false, on: ['dA', 'o60'] };
    const paper = paperOf(c, all);
    expect(paper.drafts.map((d) => [d.draft.name, d.on])).toEqual([['one', true]]);
    const again = {
      ...USUAL,
      on: ['dB', 'o60'],
      ...opened({ ...USUAL, on: ['dB', 'o60'] }, 'p', paper),
    };
    expect(again.held).toBe(false);
    expect(again.on).toEqual(['o60', 'x0']);
    expect(paperOf(again, considered(again, {}, {}))).toEqual(paper);
  });
});
