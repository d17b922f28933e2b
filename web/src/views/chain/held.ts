import { useQuery } from '@tanstack/react-query';
import { useMemo } from 'react';
import { heldQuery } from '../../api/queries';
import { money } from '../../money';
import type { Held } from './ChainRow';

/** What is held in an underlying, by contract. A contract of several campaigns is told as one
 * quantity without a price; its note tells all. */
export function useHeld(symbol: string): Map<string, Held> {
  const held = useQuery(heldQuery(symbol)).data;
  return useMemo(() => {
    const all = new Map<string, Held>();
    for (const { contract, quantity, openedAt, title, campaign } of held ?? []) {
      const before = all.get(contract);
      const note = `${quantity} at ${money(openedAt)} in ${title}`;
      all.set(
        contract,
        before
          ? {
              quantity: before.quantity + quantity,
              openedAt: '',
              label: `${before.label}; ${note}`,
              campaign,
            }
          : { quantity, openedAt, label: note, campaign },
      );
    }
    return all;
  }, [held]);
}
