import { useSyncExternalStore } from 'react';

/** A page held in one hand: the same width at which the styles change over (Tailwind's `md`). */
const query = window.matchMedia('(max-width: 767.98px)');
const subscribe = (changed: () => void) => {
  query.addEventListener('change', changed);
  return () => {
    query.removeEventListener('change', changed);
  };
};
/** Whether the page is too narrow for two things beside each other. */
export const useNarrow = () => useSyncExternalStore(subscribe, () => query.matches);

const onResize = (changed: () => void) => {
  window.addEventListener('resize', changed);
  return () => {
    window.removeEventListener('resize', changed);
  };
};
/** Width and height of the page in pixels. */
export const useWidth = () => useSyncExternalStore(onResize, () => window.innerWidth);
export const useHeight = () => useSyncExternalStore(onResize, () => window.innerHeight);
