import { useEffect } from 'react';

/** What a key does; one that gives false leaves the key to the page. */
export type Keys = Record<string, (() => unknown) | undefined>;

/** Keys of a view. They rest while the trader types, or while a dialog has the focus. */
export function useKeys(keys: Keys) {
  useEffect(() => {
    const listen = (e: KeyboardEvent) => {
      if (e.ctrlKey || e.metaKey || e.altKey || e.defaultPrevented) return;
      const at = e.target instanceof Element ? e.target : document.body;
      if (at.closest('input, textarea, select, [role=menu], [role=listbox], [data-modal]')) return;
      const act = keys[e.key];
      if (!act) return;
      if (act() !== false) e.preventDefault();
    };
    window.addEventListener('keydown', listen);
    return () => {
      window.removeEventListener('keydown', listen);
    };
  }, [keys]);
}

/** The list shown by `?`. */
export const KEY_LIST: [string, string][] = [
  ['/', 'find a symbol or a view'],
  ['1 … 5', 'Chain, Bench, Orders, Book, Ledger'],
  ['arrows', 'move in the chain; on a picture, move what is read'],
  ['Enter', 'on a price: add a leg (the ask buys, the bid sells); elsewhere in the chain: bench'],
  ['b  s', 'buy, sell the contract under the cursor'],
  ['[  ]', 'structure one strike down, up'],
  ['{  }', 'structure one expiration nearer, farther'],
  ['-  =', 'narrower, wider'],
  ['<  >', 'fewer, more of what is sold'],
  [',  .', 'fewer, more packages'],
  ['c', 're-centre at the price'],
  ['x', 'reverse the structure'],
  ['z  Z', 'undo, redo'],
  ['e', 'from the chain to the bench'],
  ['o m g r p v', 'on the bench: outline, map, Greeks, grid, chance, compare'],
  ['t', 'ticket'],
  ['Shift click', 'on an expiration: its rows open under the others (Shift Enter too)'],
  ['Esc', 'close the topmost thing'],
  ['?', 'this help'],
];
