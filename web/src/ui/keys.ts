import { useEffect } from 'react';

export type Keys = Record<string, (() => void) | undefined>;

/** Keys of a view. They rest while the trader types, or while a dialog has the focus. */
export function useKeys(keys: Keys) {
  useEffect(() => {
    const listen = (e: KeyboardEvent) => {
      if (e.ctrlKey || e.metaKey || e.altKey || e.defaultPrevented) return;
      const at = e.target instanceof Element ? e.target : document.body;
      if (at.closest('input, textarea, select, [role=menu], [role=listbox], [data-modal]')) return;
      const act = keys[e.key];
      if (!act) return;
      e.preventDefault();
      act();
    };
    window.addEventListener('keydown', listen);
    return () => { window.removeEventListener('keydown', listen); };
  }, [keys]);
}

/** The list shown by `?`. */
export const KEY_LIST: [string, string][] = [
  ['/', 'find a symbol or a view'],
  ['1 … 5', 'Chain, Bench, Orders, Book, Ledger'],
  ['arrows', 'move in the chain'],
  ['Enter', 'add a leg at the price under the cursor: the ask buys, the bid sells'],
  ['b  s', 'buy, sell the contract under the cursor'],
  ['[  ]', 'structure one strike down, up'],
  ['{  }', 'structure one expiration nearer, farther'],
  ['-  =', 'narrower, wider'],
  ['x', 'turn the structure over'],
  ['z  Z', 'undo, redo'],
  ['t', 'ticket'],
  ['Esc', 'close the topmost thing'],
  ['?', 'this list'],
];
