import { keepPreviousData, useQuery } from '@tanstack/react-query';
import type { ReconciledQuery } from '../../../shared/contract/reconciliations.ts';
import { client } from '../client.ts';
import { keys } from '../keys.ts';

export const useReconciliations = () =>
  useQuery({ queryKey: keys.reconciliations, queryFn: () => client.reconciliations() });
export const useReconciliation = (id: number) =>
  useQuery({ queryKey: [...keys.reconciliations, id], queryFn: () => client.reconciliation({ id }) });
export const useReconciled = (id: number, query: ReconciledQuery) =>
  useQuery({
    queryKey: [...keys.reconciliations, id, 'rows', query],
    queryFn: () => client.reconciled({ id, ...query, limit: 50 }),
    placeholderData: keepPreviousData,
  });
