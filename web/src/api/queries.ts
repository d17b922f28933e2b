import { keepPreviousData, queryOptions } from '@tanstack/react-query';
import { api, must, type EvaluateRequest } from './client';

export const marketsQuery = queryOptions({ queryKey: ['markets'], staleTime: Infinity, queryFn: async () => must(await api.GET('/api/markets')) });
export const ordersQuery = queryOptions({ queryKey: ['orders'], queryFn: async () => must(await api.GET('/api/orders')) });
export const ledgerQuery = queryOptions({ queryKey: ['ledger'], queryFn: async () => must(await api.GET('/api/ledger')) });

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
