/** The shared price axis: each strike's row is its place; between rows the price runs straight. */
export const ROW = 20;

export type Axis = { strikes: number[]; height: number; y: (price: number) => number; price: (y: number) => number };

/** `strikes` from high to low. */
export function makeAxis(strikes: number[]): Axis {
  const centre = (i: number) => (i + 0.5) * ROW;
  const at = (i: number) => strikes[Math.min(Math.max(i, 0), strikes.length - 1)] ?? 0;
  /** Index of the row at or above the price, so that i and i + 1 enclose it (or the nearest pair at the ends). */
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
    const i = pair((k) => at(k) >= price);
    return centre(i) + ((at(i) - price) / (at(i) - at(i + 1))) * ROW;
  };
  const price = (top: number) => {
    if (strikes.length < 2) return at(0);
    const i = pair((k) => centre(k) <= top);
    return at(i) - ((top - centre(i)) / ROW) * (at(i) - at(i + 1));
  };
  return { strikes, height: strikes.length * ROW, y, price };
}
