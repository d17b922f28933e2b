import { describe, expect, it } from 'vitest';
import { dateWanted, expectationOf, requestOf, turned, useAsked, useWritten } from './asked';
import type { SearchLine } from '../../api/client';
import { pieces } from '../../api/streamed';

const asked = useAsked.getInitialState();
const written = useWritten.getInitialState();
const TODAY = '2031-03-11';
const read = (change: Partial<typeof written>) =>
  expectationOf({ ...written, ...change }, TODAY, '2031-04-18');
const expectation = read({ low: '180', high: '', sure: '60' });
if (!expectation) throw new Error('it makes sense');

describe('the date to expect by', () => {
  const answered = (date: string) => ({
    date,
    dates: ['2031-03-07', '2031-03-11', '2031-03-21', '2031-04-18'],
  });
  const wanted = (by: string, date?: string) =>
    dateWanted({ ...written, by }, TODAY, date === undefined ? undefined : answered(date));
  it('is the one written until it has passed, and then the nearest ahead of what is answered anew', () => {
    expect(wanted('2031-05-16', '2031-04-10')).toBe('2031-05-16');
    expect(wanted('2031-03-11', '2031-04-10')).toBe('');
    expect(wanted('', '2031-04-10')).toBe('2031-04-18');
    // Today's own expiration is none to expect anything by.
    expect(wanted('', '2031-03-12')).toBe('2031-03-21');
    expect(wanted('')).toBe('');
  });
  it('is final: asked again with what it said it says the same, whatever day the answer was for', () => {
    for (const by of ['', '2031-03-07', '2031-03-11', '2031-03-21', '2031-05-16'])
      for (const date of ['2031-02-21', '2031-03-07', '2031-03-11', '2031-03-12', '2031-06-20']) {
        const first = wanted(by, date);
        const second = wanted(first, date);
        expect(wanted(second, date)).toBe(second);
        if (second !== '') expect(second > TODAY).toBe(true);
      }
  });
});

describe('what is asked of a search', () => {
  it('is what is written, percentages as parts and empty fields as nothing', () => {
    expect(expectation).toEqual({
      by: '2031-04-18',
      law: 'smile',
      low: 180,
      high: null,
      unit: 'prices',
      sure: 0.6,
    });
    const made = requestOf({ ...asked, chance: '55', maxLoss: '1,200', strikes: '' }, expectation, [
      'NMOU',
    ]);
    if (!('body' in made)) throw new Error(made.wrong.join());
    expect(made.body.limits).toMatchObject({ chance: 0.55, maxLoss: 1200, capital: null });
    expect(made.body).toMatchObject({ strikes: null, price: '0.5', weights: null });
  });
  it('names every field that makes no sense, and asks nothing then', () => {
    const made = requestOf(
      { ...asked, price: '2', reach: 'far', legs: '2.5', rank: 'own', families: [] },
      expectation,
      [],
    );
    expect(made).toEqual({
      wrong: ['price', 'reach', 'weights', 'families', 'symbols', 'legs'],
    });
  });
  it('without a region asks for the band of the market', () => {
    expect(read({})).toMatchObject({ low: -1, high: 1, sure: null });
  });
  it('asks nothing while what is written makes no sense', () => {
    for (const wrong of [
      { by: TODAY },
      { low: '180', sure: '101' },
      { low: '200', high: '180' },
      { low: '-9', unit: 'deviations' as const },
    ])
      expect(read(wrong)).toBeNull();
    expect(read({ by: '2031-03-12', low: '-8', unit: 'deviations' })).not.toBeNull();
  });
  it('turns prices into deviations and back', () => {
    const e = { low: 180.04, high: null, lowDeviations: -0.256, highDeviations: null };
    const to = turned({ ...written, low: '180' }, e as never);
    expect(to).toEqual({ unit: 'deviations', low: '-0.26', high: '' });
    expect(turned({ ...written, ...to }, e as never).low).toBe('180.0');
  });
});

describe('a stream of events', () => {
  it('comes out the same however it is cut', () => {
    const text =
      'data: {"kind":"progress","part":0.5,"judged":2,"rows":[],"symbol":"A"}\n\n: alive\n\ndata: {"kind":"done","judged":4,"rows":[]}\n\n';
    for (let cut = 0; cut <= text.length; cut++) {
      const [first, rest] = pieces(text.slice(0, cut));
      const [second, left] = pieces(rest + text.slice(cut));
      const told = [...first, ...second] as SearchLine[];
      expect(told.map((l) => [l.kind, l.judged])).toEqual([
        ['progress', 2],
        ['done', 4],
      ]);
      expect(left).toBe('');
    }
  });
});
