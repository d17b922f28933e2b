import { keepPreviousData, queryOptions } from '@tanstack/react-query';
import {
  api,
  must,
  type Expectation,
  type Expected,
  type Leg,
  type Looks,
  type News,
} from '../../api/client';

export const expectedQuery = (symbol: string, expectation: Expectation | null) =>
  queryOptions<Expected>({
    queryKey: ['scout', 'expected', symbol, expectation],
    enabled: symbol !== '' && expectation !== null,
    refetchInterval: 5_000,
    placeholderData: (data, before) => (before?.queryKey[2] === symbol ? data : undefined),
    retry: false,
    queryFn: async ({ signal }) => {
      if (!expectation) throw new Error('nothing is expected');
      return must(
        await api.POST('/api/scout/expected/{symbol}', {
          params: { path: { symbol } },
          body: expectation,
          signal,
        }),
      );
    },
  });
export const newsQuery = (symbol: string, looks: Looks) =>
  queryOptions<News>({
    queryKey: ['scout', 'news', symbol, looks],
    staleTime: 20_000,
    refetchInterval: 30_000,
    placeholderData: (data, before) => (before?.queryKey[2] === symbol ? data : undefined),
    retry: false,
    queryFn: async ({ signal }) =>
      must(
        await api.GET('/api/scout/news/{symbol}', {
          params: { path: { symbol }, query: looks },
          signal,
        }),
      ),
  });
export const replayQuery = (
  symbol: string,
  legs: Leg[] | null,
  looks: Looks,
  by: 'delta' | 'deviations',
) =>
  queryOptions({
    queryKey: ['scout', 'replay', symbol, legs, looks, by],
    enabled: legs !== null && legs.length > 0,
    placeholderData: keepPreviousData,
    staleTime: 20_000,
    retry: false,
    queryFn: async ({ signal }) =>
      must(
        await api.POST('/api/scout/news/{symbol}/replay', {
          params: { path: { symbol } },
          body: { legs: legs ?? [], looks, by },
          signal,
        }),
      ),
  });
export const expectationsQuery = queryOptions({
  queryKey: ['scout', 'expectations'],
  refetchInterval: 20_000,
  queryFn: async () => must(await api.GET('/api/scout/expectations')),
});
