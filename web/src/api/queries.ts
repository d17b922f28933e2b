import { keepPreviousData, queryOptions } from '@tanstack/react-query';
import { api, must, type BenchRequest, type EvaluateRequest, type PackagesQuery } from './client';

export const marketsQuery = queryOptions({ queryKey: ['markets'], staleTime: Infinity, queryFn: async () => must(await api.GET('/api/markets')) });
export const ordersQuery = queryOptions({ queryKey: ['orders'], queryFn: async () => must(await api.GET('/api/orders')) });
export const ledgerQuery = queryOptions({ queryKey: ['ledger'], queryFn: async () => must(await api.GET('/api/ledger')) });

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
      return must(await api.GET('/api/packages/{symbol}', { params: { path: { symbol }, query }, signal }));
    },
  });

/** A draft judged, asked again every second. */
export const benchQuery = (request: BenchRequest | null) =>
  queryOptions({
    queryKey: ['bench', request],
    enabled: request !== null,
    refetchInterval: 1_000,
    placeholderData: keepPreviousData,
    retry: false,
    queryFn: async ({ signal }) => {
      if (!request) throw new Error('nothing to judge');
      return must(await api.POST('/api/bench', { body: request, signal }));
    },
  });

/** An answer that is asked again every so often: for the tray and the ticket. */
export const evaluationQuery = (request: EvaluateRequest | null, every: number) =>
  queryOptions({
    queryKey: ['evaluation', request],
    enabled: request !== null && request.legs.length > 0,
    refetchInterval: every,
    placeholderData: keepPreviousData,
    retry: false,
    queryFn: async ({ signal }) => {
      if (!request) throw new Error('nothing to evaluate');
      return must(await api.POST('/api/evaluate', { body: request, signal }));
    },
  });
