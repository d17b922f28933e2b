import { keepPreviousData, queryOptions } from '@tanstack/react-query';
import { api, must } from '../../api/client';

export const lessonsQuery = queryOptions({
  queryKey: ['lessons'],
  queryFn: async () => must(await api.GET('/api/lessons')),
});
export type AskedRule = { measure: string; side: 'above' | 'below'; limit: string };
export const roadsQuery = (asked: AskedRule | null) =>
  queryOptions({
    queryKey: ['lessons', 'roads', asked],
    placeholderData: keepPreviousData,
    retry: false,
    queryFn: async ({ signal }) =>
      must(await api.GET('/api/lessons/roads', { params: { query: asked ?? {} }, signal })),
  });
