import { create } from 'zustand';
import type { Draft, Leg } from '../api/client';
import { packages, unitOf } from '../drafts/moves';

/** The position a ticket closes: its campaign, its name, and how many packages of it are held. */
export type Closing = { campaign: number; name: string; held: number };
/** What the drawer shows: a ticket being written, or an order already sent. */
export type Ticket = {
  symbol: string;
  unit: Leg[];
  quantity: number;
  closing?: Closing;
  rolling?: boolean;
  /** What the campaign becomes by this order: it closes some of it and opens other legs in it. */
  becomes?: string;
  clientId: string;
};
type Drawer = { ticket?: Ticket; order?: number };
export const useDrawer = create<Drawer>(() => ({}));

const newId = () => crypto.randomUUID();
export const openTicket = (t: Omit<Ticket, 'clientId'>) => {
  useDrawer.setState({ ticket: { ...t, clientId: newId() }, order: undefined });
};
/** A ticket for a draft as it is now, whatever is still being worked out about it. */
export const openDraft = (draft: Draft | undefined) => {
  if (draft && draft.legs.length > 0)
    openTicket({ symbol: draft.symbol, unit: unitOf(draft), quantity: packages(draft) });
};
export const openOrder = (id: number) => {
  useDrawer.setState({ ticket: undefined, order: id });
};
export const closeDrawer = () => {
  useDrawer.setState({ ticket: undefined, order: undefined });
};
