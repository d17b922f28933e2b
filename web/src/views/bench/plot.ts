/** Marks of an axis at round numbers. */
import type { ScaleLinear } from 'd3-scale';
import { fixed } from '../../format';

export type Scale = ScaleLinear<number, number>;
export const decimalsOf = (ticks: number[]) => {
  const step = Math.abs((ticks[1] ?? 1) - (ticks[0] ?? 0));
  return step >= 1 ? 0 : step >= 0.1 ? 1 : 2;
};
export const label = (value: number, ticks: number[], plus = false) =>
  fixed(value, decimalsOf(ticks), plus);
/** The value of a drawn curve at a price, straight between its points. */
export function at(prices: number[], values: number[], price: number): number | undefined {
  const after = prices.findIndex((p) => p >= price);
  if (after < 0) return undefined;
  const [x0 = 0, x1 = 0, y0 = 0, y1 = 0] = [
    prices[after - 1],
    prices[after],
    values[after - 1],
    values[after],
  ];
  return after === 0 || x1 === x0 ? values[after] : y0 + ((price - x0) / (x1 - x0)) * (y1 - y0);
}
