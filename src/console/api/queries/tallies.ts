import { useQuery } from '@tanstack/react-query';
import { client } from '../client.ts';

/** What was stored before this version and is still being counted; nothing once all is. */
export const useCatchingUp = () =>
  useQuery({
    queryKey: ['tallies'],
    queryFn: async () => (await client.tallies()).find(({ finishedAt }) => finishedAt === null) ?? null,
    refetchInterval: (query) => (query.state.data ? 2000 : false),
    staleTime: 600_000,
  }).data;
