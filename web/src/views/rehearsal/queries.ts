import { keepPreviousData, queryOptions } from '@tanstack/react-query';
import { api, catalogue, must } from '../../api/client';
import { varies, type Drill } from './drill';

export const runsQuery = queryOptions({
  queryKey: ['runs'],
  queryFn: async () => must(await catalogue.GET('/api/runs')),
});
export const looksQuery = (name: string) =>
  queryOptions({
    queryKey: ['runs', name, 'looks'],
    queryFn: async () =>
      must(await catalogue.GET('/api/runs/{name}/looks', { params: { path: { name } } })),
  });
export const comparedQuery = (names: string[]) =>
  queryOptions({
    queryKey: ['runs', 'compared', names],
    enabled: names.length > 0,
    placeholderData: keepPreviousData,
    queryFn: async () =>
      must(
        await catalogue.GET('/api/runs/compare', { params: { query: { names: names.join(',') } } }),
      ),
  });
export const drillsQuery = queryOptions({
  queryKey: ['drills'],
  queryFn: async () => must(await api.GET('/api/drills')) as Record<string, Drill>,
});
/** Drills beside the account, worked out anew now and then. */
export const besideQuery = queryOptions({
  queryKey: ['drills', 'beside'],
  refetchInterval: 15_000,
  queryFn: async () => must(await api.GET('/api/drills/beside')),
});
/** A drill read back: text, sentences, what is wrong. */
export const readQuery = (drill: Drill) =>
  queryOptions({
    queryKey: ['drills', 'read', drill],
    placeholderData: keepPreviousData,
    retry: false,
    queryFn: async ({ signal }) =>
      must(await api.POST('/api/drills/read', { body: { drill }, signal })),
  });
/** A drill played up to now; one whose numbers are lists is not. */
export const playedQuery = (drill: Drill) =>
  queryOptions({
    queryKey: ['drills', 'played', drill],
    enabled: !varies(drill),
    placeholderData: keepPreviousData,
    retry: false,
    queryFn: async ({ signal }) =>
      must(await api.POST('/api/drills/play', { body: { drill }, signal })),
  });
export const cycleQuery = (drill: Drill, cycle: number) =>
  queryOptions({
    queryKey: ['drills', 'cycle', drill, cycle],
    enabled: cycle > 0 && !varies(drill),
    placeholderData: keepPreviousData,
    retry: false,
    queryFn: async ({ signal }) =>
      must(await api.POST('/api/drills/cycle', { body: { drill, cycle }, signal })),
  });
