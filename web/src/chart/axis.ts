/** The shared price axis: each strike's row is its place; between rows the price runs straight. */
export const ROW = 20;

export type Axis = {
  strikes: number[];
  height: number;
  y: (price: number) => number;
  price: (y: number) => number;
};

/** `strikes` in the order of the rows: from high to low, or from low to high. */
export function makeAxis(strikes: number[]): Axis {
  const centre = (i: number) => (i + 0.5) * ROW;
  const at = (i: number) => strikes[Math.min(Math.max(i, 0), strikes.length - 1)] ?? 0;
  const down = at(0) >= at(strikes.length - 1);
  /** Index of the first row of the pair that encloses the place (or of the nearest pair at the ends). */
  const pair = (test: (i: number) => boolean) => {
    let lo = 0;
    let hi = Math.max(0, strikes.length - 2);
    while (lo < hi) {
      const mid = Math.ceil((lo + hi) / 2);
      if (test(mid)) lo = mid;
      else hi = mid - 1;
    }
    return lo;
  };
  const y = (price: number) => {
    if (strikes.length < 2) return centre(0);
    const i = pair((k) => (down ? at(k) >= price : at(k) <= price));
    return centre(i) + ((at(i) - price) / (at(i) - at(i + 1))) * ROW;
  };
  const price = (top: number) => {
    if (strikes.length < 2) return at(0);
    const i = pair((k) => centre(k) <= top);
    return at(i) - ((top - centre(i)) / ROW) * (at(i) - at(i + 1));
  };
  return { strikes, height: strikes.length * ROW, y, price };
}
/** Lowest and highest price on an axis, at the edges of its rows. */
export function reach(axis: Axis): [number, number] {
  const ends = [axis.price(0), axis.price(axis.height)];
  return [Math.max(0, Math.min(...ends)), Math.max(...ends)];
}
