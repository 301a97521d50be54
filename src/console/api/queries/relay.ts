import { useQuery } from '@tanstack/react-query';
import { client } from '../client.ts';
import { keys } from '../keys.ts';

/** What the relay says when it is spoken to: asked when it is looked at, and when somebody asks again. */
export const useRelay = (enabled = true) =>
  useQuery({ queryKey: keys.relay, queryFn: () => client.checkRelay(), staleTime: 60_000, retry: false, enabled });
