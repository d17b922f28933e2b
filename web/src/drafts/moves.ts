/** Moves on drafts: pure, and giving back the same object when nothing changed. */
import type { Draft, Leg } from '../api/client';
import { isOption, keyOf, otherKind, parts, withKey, withStrike } from './contract';

export const MOST_LEGS = 8;

const clean = (legs: Leg[]) => legs.filter((l) => l.quantity !== 0);
/** Legs on the same contract become one. */
function netted(legs: Leg[]): Leg[] {
  const out: Leg[] = [];
  for (const l of legs) {
    const i = out.findIndex((x) => x.contract === l.contract);
    const same = out[i];
    if (same) out[i] = { ...same, quantity: same.quantity + l.quantity };
    else out.push(l);
  }
  return clean(out);
}

export function add(d: Draft, contract: string, quantity: number): Draft {
  const legs = netted([...d.legs, { contract, quantity }]);
  return legs.length > MOST_LEGS ? d : { ...d, legs };
}
export function remove(d: Draft, contract: string): Draft {
  return d.legs.some((l) => l.contract === contract)
    ? { ...d, legs: d.legs.filter((l) => l.contract !== contract) }
    : d;
}
export function turn(d: Draft): Draft {
  return d.legs.length === 0
    ? d
    : { ...d, legs: d.legs.map((l) => ({ ...l, quantity: -l.quantity })) };
}
export function moveLeg(d: Draft, contract: string, strike: number): Draft {
  if (parts(contract).strike === strike) return d;
  return {
    ...d,
    legs: netted(
      d.legs.map((l) =>
        l.contract === contract ? { ...l, contract: withStrike(contract, strike) } : l,
      ),
    ),
  };
}

/** What stands so many steps from one in a list, or undefined at its end. */
function stepped<T>(list: T[], from: T, steps: number): T | undefined {
  const at = list.indexOf(from);
  return at < 0 ? undefined : list[at + steps];
}
/** Every option to another contract; the same draft when one has nowhere to go, or none goes anywhere. */
function eachOption(d: Draft, to: (contract: string) => string | undefined): Draft {
  const legs: Leg[] = [];
  let moved = false;
  for (const l of d.legs) {
    const contract = isOption(l.contract) ? to(l.contract) : l.contract;
    if (contract === undefined) return d;
    moved ||= contract !== l.contract;
    legs.push({ ...l, contract });
  }
  return moved ? { ...d, legs: netted(legs) } : d;
}
/** The contract so many listed strikes up. */
function strikesUp(contract: string, strikes: number[], steps: number): string | undefined {
  const strike = stepped(strikes, parts(contract).strike, steps);
  return strike === undefined ? undefined : withStrike(contract, strike);
}
/** Every option so many listed strikes up or down; unchanged when one would leave the list. */
export function shift(d: Draft, strikesOf: (contract: string) => number[], steps: number): Draft {
  return eachOption(d, (c) => strikesUp(c, strikesOf(c), steps));
}
/** Outer legs one listed strike outward (+1) or inward (−1): the highest strikes up, the lowest down. */
export function widen(d: Draft, strikesOf: (contract: string) => number[], steps: number): Draft {
  const all = d.legs.filter((l) => isOption(l.contract)).map((l) => parts(l.contract).strike);
  const [low, high] = [Math.min(...all), Math.max(...all)];
  if (low >= high) return d;
  const next = eachOption(d, (c) => {
    const at = parts(c).strike;
    const by = at === high ? steps : at === low ? -steps : 0;
    return by === 0 ? c : strikesUp(c, strikesOf(c), by);
  });
  // Legs that would fall together stay apart.
  return next.legs.length === d.legs.length ? next : d;
}
/** So many packages more or fewer; one at least stays. */
export function scale(d: Draft, by: number): Draft {
  const whole = packages(d);
  const next = whole + by;
  return whole === 0 || next < 1
    ? d
    : { ...d, legs: d.legs.map((l) => ({ ...l, quantity: (l.quantity / whole) * next })) };
}
/** One package of a draft. */
export const unitOf = (d: Draft): Leg[] => {
  const whole = packages(d);
  return d.legs.map((l) => ({ ...l, quantity: l.quantity / whole }));
};
/** How many packages a draft is: the greatest common divisor of its quantities. */
export const packages = (d: Draft) => d.legs.reduce((g, l) => gcd(g, Math.abs(l.quantity)), 0);
function gcd(a: number, b: number): number {
  return b === 0 ? a : gcd(b, a % b);
}
/** So many more or fewer of what is sold, for each package. */
export function ratio(d: Draft, by: number): Draft {
  const whole = packages(d);
  const more = (l: Leg) =>
    l.quantity < 0 && isOption(l.contract) ? l.quantity - by * whole : l.quantity;
  const legs = d.legs.map((l) => ({ ...l, quantity: more(l) }));
  return legs.some((l, i) => l.quantity !== d.legs[i]?.quantity) &&
    legs.every((l, i) => Math.sign(l.quantity) === Math.sign(d.legs[i]?.quantity ?? 0))
    ? { ...d, legs }
    : d;
}
/** So many more of one leg; none of it takes it out. */
export function more(d: Draft, contract: string, by: number): Draft {
  return {
    ...d,
    legs: clean(
      d.legs.map((l) => (l.contract === contract ? { ...l, quantity: l.quantity + by } : l)),
    ),
  };
}
/** Bought becomes sold, of one leg. */
export function turnLeg(d: Draft, contract: string): Draft {
  return {
    ...d,
    legs: d.legs.map((l) => (l.contract === contract ? { ...l, quantity: -l.quantity } : l)),
  };
}
/** One leg to another expiration; the strike stays. */
export function moveLegTo(d: Draft, contract: string, key: string): Draft {
  return {
    ...d,
    legs: netted(
      d.legs.map((l) => (l.contract === contract ? { ...l, contract: withKey(contract, key) } : l)),
    ),
  };
}
/** A call becomes the put of its strike, a put the call. */
export function swapKind(d: Draft, contract: string): Draft {
  return {
    ...d,
    legs: netted(
      d.legs.map((l) => (l.contract === contract ? { ...l, contract: otherKind(contract) } : l)),
    ),
  };
}
/** One leg so many listed strikes up; unchanged where the list ends. */
export function stepLeg(d: Draft, contract: string, strikes: number[], steps: number): Draft {
  const strike = stepped(strikes, parts(contract).strike, steps);
  return strike === undefined ? d : moveLeg(d, contract, strike);
}
/** One leg so many expirations later; unchanged where there is none. */
export function laterLeg(d: Draft, contract: string, keys: string[], steps: number): Draft {
  const key = stepped(keys, keyOf(contract), steps);
  return key === undefined ? d : moveLegTo(d, contract, key);
}
/** Every option by as many listed strikes as bring the middle of the strikes nearest to a price. */
export function recentre(
  d: Draft,
  strikesOf: (contract: string) => number[],
  price: number,
): Draft {
  const options = d.legs.filter((l) => isOption(l.contract));
  const first = options[0];
  if (!first) return d;
  const strikes = options.map((l) => parts(l.contract).strike);
  const middle = (Math.min(...strikes) + Math.max(...strikes)) / 2;
  const listed = strikesOf(first.contract);
  const nearest = (to: number) =>
    listed.reduce(
      (best, k, i) => (Math.abs(k - to) < Math.abs((listed[best] ?? Infinity) - to) ? i : best),
      0,
    );
  const steps = nearest(price) - nearest(middle);
  return steps === 0 ? d : shift(d, strikesOf, steps);
}
/** Every option so many expirations nearer or farther. */
export function later(d: Draft, keys: string[], steps: number): Draft {
  return eachOption(d, (c) => {
    const key = stepped(keys, keyOf(c), steps);
    return key === undefined ? undefined : withKey(c, key);
  });
}
