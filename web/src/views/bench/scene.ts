/** What the bench looks at: date, moved market, span, and what each tab asks for. Kept while the page is open, so that all tabs share it. */
import { create } from 'zustand';
import type { BenchRequest, Draft, GridUnit } from '../../api/client';

export type Tab = 'outline' | 'map' | 'greeks' | 'grid' | 'chance' | 'compare';
export type Scene = {
  tab: Tab;
  /** The chosen date as a part of the way to the first expiration. */
  part: number;
  /** Further dates, in days from now. */
  extra: number[];
  /** Volatility of every expiration, in points or percent. */
  unit: 'points' | 'percent';
  shift: number;
  /** Of single expirations by date, in the same unit, in its place. */
  at: Record<string, number>;
  sticky: 'strike' | 'delta';
  rate: number;
  /** Deviations or percent to each side; as wide as needed when zero. */
  span: { by: 'deviations' | 'percent'; value: number };
  /** The price that is read, everywhere. */
  price?: number;
  /** The past beside the time map. */
  history: boolean;
  greeksOver: 'price' | 'time';
  legs: boolean;
  grid: { by: 'matter' | 'prices'; prices: string; unit: GridUnit };
  chance: { smile: boolean; lower: string; higher: string; target: string; stop: string };
};
const FIRST: Scene = {
  tab: 'outline',
  part: 0.5,
  extra: [],
  unit: 'points',
  shift: 0,
  at: {},
  sticky: 'strike',
  rate: 0,
  span: { by: 'deviations', value: 0 },
  history: false,
  greeksOver: 'price',
  legs: false,
  grid: { by: 'matter', prices: '', unit: 'money' },
  chance: { smile: false, lower: '', higher: '', target: '', stop: '' },
};
export const useScene = create<Scene>(() => FIRST);
export const look = (change: Partial<Scene>) => {
  useScene.setState(change);
};
/** The market and the date as they are; tab and what it asks for stay. */
export const unmove = () => {
  look({
    part: 0.5,
    extra: [],
    shift: 0,
    at: {},
    sticky: 'strike',
    rate: 0,
    span: { by: 'deviations', value: 0 },
    price: undefined,
  });
};
export const isMoved = (s: Scene) =>
  s.shift !== 0 || s.rate !== 0 || s.sticky !== 'strike' || Object.keys(s.at).length > 0;

const DECIMAL = /^\d+(\.\d+)?$/;
export const number = (text: string) => (DECIMAL.test(text) ? Number(text) : undefined);
/** Prices written one after the other. */
export const listOf = (text: string) =>
  text
    .split(/[\s,;]+/)
    .filter((t) => t !== '')
    .map(Number)
    .filter((n) => n > 0);
const round = (d: number) => Math.round(d * 100) / 100;

/** What is asked of the program for a draft whose first expiration is so many days away. */
export function requestOf(s: Scene, draft: Draft, days: number): BenchRequest {
  const by = (value: number) => (s.unit === 'points' ? { points: value } : { percent: value });
  const chosen = round(s.part * days);
  const [lower, higher] = [number(s.chance.lower), number(s.chance.higher)];
  const pair = lower !== undefined && higher !== undefined && lower > 0 && lower < higher;
  return {
    symbol: draft.symbol,
    legs: draft.legs,
    entry: draft.entry ?? 'middle',
    moved: {
      everywhere: s.shift === 0 ? null : by(s.shift),
      at: Object.fromEntries(Object.entries(s.at).map(([date, value]) => [date, by(value)])),
      sticky: s.sticky,
      ratePoints: s.rate,
    },
    days: [chosen, 0, ...s.extra.filter((d) => d <= days)].slice(0, 8),
    span:
      s.span.value === 0
        ? 'usual'
        : s.span.by === 'percent'
          ? { percent: s.span.value }
          : { deviations: s.span.value },
    map: s.tab === 'map',
    greeks:
      s.tab === 'outline'
        ? { days: [chosen], overTime: false }
        : s.tab !== 'greeks'
          ? null
          : s.greeksOver === 'time'
            ? { overTime: true, price: s.price ?? null, days: [] }
            : {
                overTime: false,
                days: [...new Set([chosen, 0, Math.max(0, round(days - 7))])],
              },
    grid:
      s.tab === 'grid' && !(s.grid.by === 'prices' && listOf(s.grid.prices).length === 0)
        ? {
            steps:
              s.grid.by === 'prices' ? { prices: listOf(s.grid.prices).slice(0, 25) } : 'matter',
            unit: s.grid.unit,
          }
        : null,
    chances:
      s.tab !== 'chance'
        ? null
        : {
            smile: s.chance.smile,
            lower: pair ? lower : null,
            higher: pair ? higher : null,
            targetPercent: number(s.chance.target) ?? null,
            stopPercent: number(s.chance.stop) ?? null,
          },
  };
}
