/** How the chain is shown: strikes, their order, what stands beside the rows, which expirations. Remembered here. */
import { create } from 'zustand';
import type { Around } from './rows';

export type Beside = 'nothing' | 'history' | 'smile';
export const CYCLES = ['weekly', 'monthly', 'quarterly', 'long'] as const;
export type Cycle = (typeof CYCLES)[number];
type Look = {
  around: Around;
  rising: boolean;
  beside: Beside;
  weekly: boolean;
  term: boolean;
  hidden: Cycle[];
};
const USUAL: Look = {
  around: 'fit',
  rising: false,
  beside: 'nothing',
  weekly: false,
  term: false,
  hidden: [],
};
const KEY = 'chain-look';
const AROUND: Around[] = ['fit', '25', 'sigma', 'all'];

function kept(): Look {
  try {
    const read = JSON.parse(localStorage.getItem(KEY) ?? '{}') as Partial<Look>;
    const around = AROUND.includes(read.around ?? 'fit') ? read.around : 'fit';
    return { ...USUAL, ...read, around: around ?? 'fit' };
  } catch {
    return USUAL;
  }
}
export const useLook = create<Look>(() => kept());
export function show(change: Partial<Look>) {
  useLook.setState(change);
  localStorage.setItem(KEY, JSON.stringify(useLook.getState()));
}
