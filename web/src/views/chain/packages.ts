/** The structures a chain can be read as, and the one that was read last. */
import { create } from 'zustand';
import type { PackagesQuery } from '../../api/client';

export type Template = NonNullable<PackagesQuery['template']>;
export const TEMPLATES: { key: Template; name: string }[] = [
  { key: 'bullPutVertical', name: 'bull put vertical' },
  { key: 'bearCallVertical', name: 'bear call vertical' },
  { key: 'bullCallVertical', name: 'bull call vertical' },
  { key: 'bearPutVertical', name: 'bear put vertical' },
  { key: 'ironCondor', name: 'iron condor' },
  { key: 'straddle', name: 'straddle' },
  { key: 'strangle', name: 'strangle' },
  { key: 'callButterfly', name: 'call butterfly' },
  { key: 'putButterfly', name: 'put butterfly' },
  { key: 'callCalendar', name: 'call calendar' },
  { key: 'putCalendar', name: 'put calendar' },
  { key: 'callRatio', name: 'call ratio 1×2' },
  { key: 'putRatio', name: 'put ratio 1×2' },
];

type Reading = { on: boolean; template: Template; width: string };
export const usePackages = create<Reading>(() => ({
  on: false,
  template: 'bullPutVertical',
  width: '',
}));
export const readAs = (change: Partial<Reading>) => {
  usePackages.setState(change);
};
