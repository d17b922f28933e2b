import type { PlaceRequest } from '../api/client';

export type Kind = 'limit' | 'market' | 'stop';
export type Stand = PlaceRequest['timeInForce'];

/** What each order type does, in one sentence. */
export const KIND_WORDS: Record<Kind, string> = {
  limit: 'Fills at your price or a better one, and waits while there is none.',
  market:
    'Fills at once at the cross, whatever it is by then; what is larger than the size shown walks tick by tick.',
  stop: 'Waits until the price watched stands at your level or worse, then goes to the market.',
};
/** How long each stands, in one sentence. */
export const STAND_WORDS: Record<Stand, string> = {
  day: 'Ends at the close of this session, or of the next while the exchange is closed.',
  goodTillCancelled: 'Stands until it is filled or you cancel it, or a contract of it ends.',
  goodTillDate: 'Stands until the close of the day you choose.',
  immediateOrCancel: 'Fills what can be filled at once; the rest ends.',
  fillOrKill: 'Fills whole at once or not at all.',
};
/** The same as part of what is read back. */
export const STANDS: Record<Exclude<Stand, 'goodTillDate'>, string> = {
  day: 'as a day order',
  goodTillCancelled: 'good till cancelled',
  immediateOrCancel: 'immediate or cancel',
  fillOrKill: 'fill or kill',
};
