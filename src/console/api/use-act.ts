import { useMutation, useQueryClient } from '@tanstack/react-query';
import type { Client } from '../../client/client.ts';
import { client } from './client.ts';

/** An act on the service that changes something: once it is done, everything shown is asked for again. */
export function useAct<Input, Output>(act: (client: Client, input: Input) => Promise<Output>) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (input: Input) => act(client, input),
    onSuccess: () => queries.invalidateQueries({ predicate: (query) => query.queryKey[0] !== 'session' }),
  });
}
