import type { Order } from '../api/client';

/** What holds an order from the market and which others it depends on, in words; empty for an order like most. */
export function ties(o: Order): string {
  const parts = [
    o.held,
    o.after && `waits for order ${o.after} to fill`,
    o.cancels.length > 0 && `cancels order ${o.cancels.join(', ')}`,
  ];
  return parts.filter(Boolean).join(' · ');
}
