import { useMutation, useQueryClient } from '@tanstack/react-query';
import { Refusal, refusalCode } from '../../client/send.ts';
import type { Client } from '../../client/client.ts';
import { client } from './client.ts';

/**
 * An act on the service that changes something: once it is done, or refused because somebody else was before it,
 * everything shown is asked for again.
 */
export function useAct<Input, Output>(act: (client: Client, input: Input) => Promise<Output>) {
  const queries = useQueryClient();
  const askAgain = () => queries.invalidateQueries({ predicate: (query) => query.queryKey[0] !== 'session' });
  return useMutation({
    mutationFn: (input: Input) => act(client, input),
    onSuccess: askAgain,
    onError: (error) =>
      error instanceof Refusal && refusalCode(error.problem) === 'changed-meanwhile' ? askAgain() : undefined,
  });
}
