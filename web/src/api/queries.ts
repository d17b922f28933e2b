import { keepPreviousData, QueryClient, queryOptions } from '@tanstack/react-query';
import {
  api,
  must,
  type BenchAnswer,
  type BenchRequest,
  type CompareRequest,
  type EvaluateRequest,
  type Evaluation,
  type Intention,
  type LedgerWanted,
  type PackagesQuery,
} from './client';

/** What the views have read. */
export const queries = new QueryClient({
  defaultOptions: { queries: { retry: 1, refetchOnWindowFocus: false } },
});

export const marketsQuery = queryOptions({
  queryKey: ['markets'],
  staleTime: Infinity,
  queryFn: async () => must(await api.GET('/api/markets')),
});
export const ordersQuery = queryOptions({
  queryKey: ['orders'],
  queryFn: async () => must(await api.GET('/api/orders')),
});
/** Where the market of each working order stands, asked again each second. */
export const orderMarketsQuery = queryOptions({
  queryKey: ['orders', 'markets'],
  refetchInterval: 1_000,
  queryFn: async () => must(await api.GET('/api/orders/markets')),
});
/** What is held in an underlying, asked again every other second. */
export const heldQuery = (symbol: string) =>
  queryOptions({
    queryKey: ['held', symbol],
    refetchInterval: 2_000,
    queryFn: async () =>
      must(await api.GET('/api/held/{symbol}', { params: { path: { symbol } } })),
  });
/** A campaign as its page shows it, asked again every other second. */
export const campaignQuery = (id: number) =>
  queryOptions({
    queryKey: ['campaign', id],
    refetchInterval: 2_000,
    retry: false,
    queryFn: async () =>
      must(await api.GET('/api/campaigns/{id}/page', { params: { path: { id } } })),
  });
/** What asks for a decision, asked again every few seconds. */
export const roundsQuery = queryOptions({
  queryKey: ['rounds'],
  refetchInterval: 4_000,
  queryFn: async () => must(await api.GET('/api/rounds')),
});
export const daysQuery = queryOptions({
  queryKey: ['days'],
  queryFn: async () => must(await api.GET('/api/days')),
});
export const bellsQuery = queryOptions({
  queryKey: ['bells'],
  // What was snoozed rings again by itself.
  refetchInterval: 20_000,
  queryFn: async () => must(await api.GET('/api/bells')),
});
/** Every underlying in one row, asked again now and then. */
export const scoutMarketQuery = queryOptions({
  queryKey: ['scout', 'market'],
  refetchInterval: 10_000,
  queryFn: async () => must(await api.GET('/api/scout/market')),
});
/** The head of a chain alone: price, events, expirations with their volatilities. */
export const headQuery = (symbol: string) =>
  queryOptions({
    queryKey: ['head', symbol],
    staleTime: 10_000,
    queryFn: async ({ signal }) =>
      must(await api.GET('/api/chain/{symbol}', { params: { path: { symbol } }, signal })).head,
  });
export const balanceQuery = queryOptions({
  queryKey: ['balance'],
  refetchInterval: 2_000,
  queryFn: async () => must(await api.GET('/api/balance')),
});
/** The margin of a structure; nothing while it is not shown. */
export const marginQuery = (request: EvaluateRequest | null) =>
  queryOptions({
    queryKey: ['margin', request],
    enabled: request !== null,
    refetchInterval: 3_000,
    placeholderData: keepPreviousData,
    retry: false,
    queryFn: async ({ signal }) => {
      if (!request) throw new Error('nothing to margin');
      return must(await api.POST('/api/margin', { body: request, signal }));
    },
  });
/** The last lines of the ledger, or of those that are wanted. */
export const ledgerQuery = (wanted: LedgerWanted) =>
  queryOptions({
    queryKey: ['ledger', wanted],
    placeholderData: keepPreviousData,
    retry: false,
    queryFn: async () => must(await api.GET('/api/ledger', { params: { query: wanted } })),
  });

/** A chain read as packages, asked again every second; nothing while it is not shown. */
export const packagesQuery = (symbol: string, query: PackagesQuery | null) =>
  queryOptions({
    queryKey: ['packages', symbol, query],
    enabled: query !== null,
    refetchInterval: 1_000,
    placeholderData: keepPreviousData,
    retry: false,
    queryFn: async ({ signal }) => {
      if (!query) throw new Error('no packages asked for');
      return must(
        await api.GET('/api/packages/{symbol}', { params: { path: { symbol }, query }, signal }),
      );
    },
  });

/** The listed strikes of an expiration, ascending, and all expirations: they change by the day. */
export const listedQuery = (symbol: string, expiration: string) =>
  queryOptions({
    queryKey: ['listed', symbol, expiration],
    staleTime: 60_000,
    queryFn: async () => {
      const chain = must(
        await api.GET('/api/chain/{symbol}', {
          params: { path: { symbol }, query: { expiration } },
        }),
      );
      return {
        strikes: (chain.blocks[0]?.rows ?? []).map((r) => r.at).reverse(),
        marks: chain.head.marks,
      };
    },
  });
export const ideasQuery = (symbol: string, expiration: string, intention: Intention) =>
  queryOptions({
    queryKey: ['ideas', symbol, expiration, intention],
    retry: false,
    queryFn: async ({ signal }) =>
      must(
        await api.GET('/api/ideas/{symbol}', {
          params: { path: { symbol }, query: { expiration, intention } },
          signal,
        }),
      ),
  });
export const smileQuery = (symbol: string, expiration: string | undefined) =>
  queryOptions({
    queryKey: ['smile', symbol, expiration],
    enabled: expiration !== undefined,
    refetchInterval: 2_000,
    placeholderData: keepPreviousData,
    queryFn: async ({ signal }) =>
      must(
        await api.GET('/api/smile/{symbol}', {
          params: { path: { symbol }, query: { expiration: expiration ?? '' } },
          signal,
        }),
      ),
  });
export const historyQuery = (symbol: string, weekly: boolean, bars: number) =>
  queryOptions({
    queryKey: ['history', symbol, weekly, bars],
    refetchInterval: 30_000,
    staleTime: 30_000,
    queryFn: async ({ signal }) =>
      must(
        await api.GET('/api/history/{symbol}', {
          params: { path: { symbol }, query: { weekly, bars } },
          signal,
        }),
      ),
  });
export const shelfQuery = queryOptions({
  queryKey: ['shelf'],
  queryFn: async () => must(await api.GET('/api/shelf')),
});
export const rulesQuery = queryOptions({
  queryKey: ['rules'],
  queryFn: async () => must(await api.GET('/api/rules')),
});
export const compareQuery = (request: CompareRequest | null) =>
  queryOptions({
    queryKey: ['compare', request],
    enabled: request !== null,
    refetchInterval: 2_000,
    placeholderData: keepPreviousData,
    retry: false,
    queryFn: async ({ signal }) => {
      if (!request) throw new Error('nothing to compare');
      return must(await api.POST('/api/compare', { body: request, signal }));
    },
  });

/** What was shown before stays until the new answer is there, of the same thing alone. */
type Before = { queryKey: readonly unknown[] } | undefined;
const keyAt = (before: Before, place: number) =>
  before?.queryKey[place] as { symbol: string } | null | undefined;

/** A draft of the tray judged, asked again every second. */
export const benchQuery = (request: BenchRequest | null, of: string) =>
  queryOptions<BenchAnswer>({
    queryKey: ['bench', of, request],
    enabled: request !== null,
    refetchInterval: 1_000,
    placeholderData: (data, before) =>
      before?.queryKey[1] === of && keyAt(before, 2)?.symbol === request?.symbol ? data : undefined,
    retry: false,
    queryFn: async ({ signal }) => {
      if (!request) throw new Error('nothing to judge');
      return must(await api.POST('/api/bench', { body: request, signal }));
    },
  });

/** An answer that is asked again every so often: for the tray and the ticket. */
export const evaluationQuery = (request: EvaluateRequest | null, every: number) =>
  queryOptions<Evaluation>({
    queryKey: ['evaluation', request],
    enabled: request !== null && request.legs.length > 0,
    refetchInterval: every,
    placeholderData: (data, before) =>
      keyAt(before, 1)?.symbol === request?.symbol ? data : undefined,
    retry: false,
    queryFn: async ({ signal }) => {
      if (!request) throw new Error('nothing to evaluate');
      return must(await api.POST('/api/evaluate', { body: request, signal }));
    },
  });
