import { keepPreviousData, useQuery } from '@tanstack/react-query';
import type { EntriesQuery } from '../../../shared/contract/suppression.ts';
import { client } from '../client.ts';
import { keys } from '../keys.ts';

export const useSuppressionLists = () =>
  useQuery({ queryKey: keys.suppression, queryFn: () => client.suppressionLists() });
/** How many contacts entries stop, or would. */
export const useStopped = (values: string[]) =>
  useQuery({
    queryKey: ['stopped', values],
    queryFn: () => client.stopped({ values }),
    enabled: values.length > 0,
    staleTime: 10_000,
  });
export const useEntries = (id: number | undefined, filter: EntriesQuery) =>
  useQuery({
    queryKey: keys.entries({ id, ...filter }),
    queryFn: () => client.entries({ id: id!, ...filter }),
    enabled: id !== undefined,
    placeholderData: keepPreviousData,
  });
