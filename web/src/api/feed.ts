import { queryOptions, useQuery } from '@tanstack/react-query';
import { api, must } from './client';
import { useLive } from './live';

const feedQuery = queryOptions({
  queryKey: ['feed'],
  queryFn: async () => must(await api.GET('/api/feed')),
  // Ages grow without anything else that would tell.
  refetchInterval: 1_000,
});

/** How a market of one's own stands; nothing of the stand-in. */
export function useFeed() {
  const own = useLive((s) => s.clock?.own) ?? false;
  return useQuery({ ...feedQuery, enabled: own }).data;
}

/** A duration in seconds: "8 s", "3 min", "2 h", "4 days". */
export function lasts(seconds: number): string {
  if (seconds < 60) return `${Math.floor(seconds)} s`;
  if (seconds < 3600) return `${Math.floor(seconds / 60)} min`;
  if (seconds < 86_400) return `${Math.floor(seconds / 3600)} h`;
  return `${Math.floor(seconds / 86_400)} days`;
}
