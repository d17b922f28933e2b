import { keepPreviousData, queryOptions } from '@tanstack/react-query';
import { api, must, type BookRequest, type Look } from '../../api/client';

/** The moment of the last answer about now, and when it came. Switching something in or out soon after is about the
 * same moment: everything is worked out already, and only sums change. */
let pin: { at: string; came: number } | undefined;
const FRESH = 3_500;
const AGAIN = 4_000;

export const bookLookedQuery = (request: BookRequest) =>
  queryOptions({
    queryKey: ['book-looked', request],
    refetchInterval: AGAIN,
    placeholderData: keepPreviousData,
    gcTime: 20_000,
    retry: false,
    queryFn: async ({ signal }) => {
      const at = pin && Date.now() - pin.came < FRESH ? pin.at : null;
      const answer = must(
        await api.POST('/api/balance/book', { body: { ...request, at }, signal }),
      );
      if (answer.at !== at) pin = { at: answer.at, came: Date.now() };
      return answer;
    },
  });
export const marginsQuery = (look: Look, moves: number[]) =>
  queryOptions({
    queryKey: ['book-margins', look, moves],
    refetchInterval: 8_000,
    placeholderData: keepPreviousData,
    gcTime: 20_000,
    retry: false,
    queryFn: async ({ signal }) =>
      must(await api.POST('/api/balance/margins', { body: { look, moves }, signal })),
  });
export const scalesQuery = (look: Look, accepted?: { loss: number; fall: number }) =>
  queryOptions({
    queryKey: ['book-scales', look, accepted],
    refetchInterval: 8_000,
    placeholderData: keepPreviousData,
    gcTime: 20_000,
    retry: false,
    queryFn: async ({ signal }) =>
      must(
        await api.POST('/api/balance/bands', {
          body: {
            look,
            acceptedLoss: accepted?.loss ?? null,
            inFall: accepted?.fall ?? null,
          },
          signal,
        }),
      ),
  });
export const tailsQuery = (look: Look, sessions: number, paths: number) =>
  queryOptions({
    queryKey: ['book-tails', look, sessions, paths],
    placeholderData: keepPreviousData,
    gcTime: 20_000,
    retry: false,
    queryFn: async ({ signal }) =>
      must(await api.POST('/api/balance/ahead', { body: { look, sessions, paths }, signal })),
  });
export const explainedQuery = (from: string | undefined, to: string | undefined) =>
  queryOptions({
    queryKey: ['explained', from, to],
    refetchInterval: to === undefined ? 8_000 : false,
    placeholderData: keepPreviousData,
    retry: false,
    queryFn: async ({ signal }) =>
      must(await api.GET('/api/balance/explained', { params: { query: { from, to } }, signal })),
  });
export const papersQuery = queryOptions({
  queryKey: ['papers'],
  queryFn: async () => must(await api.GET('/api/papers')),
});
