/** How the chain is shown: strikes, their order, what stands beside the rows, which expirations. Remembered here. */
import { kept } from '../../ui/kept';
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
const AROUND: Around[] = ['fit', '25', 'sigma', 'all'];

export const useLook = kept<Look>('chain-look', USUAL, (look) =>
  AROUND.includes(look.around) ? look : { ...look, around: 'fit' },
);
export const show = (change: Partial<Look>) => {
  useLook.setState(change);
};
