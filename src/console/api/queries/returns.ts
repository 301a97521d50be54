import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { client } from '../client.ts';
import { keys } from '../keys.ts';

export const useReturns = (filter: Parameters<typeof client.returns>[0]) =>
  useQuery({
    queryKey: [...keys.returns, filter],
    queryFn: () => client.returns(filter),
    placeholderData: keepPreviousData,
    refetchInterval: 15_000,
  });
export const useReturn = (id: number) =>
  useQuery({ queryKey: [...keys.returns, id], queryFn: () => client.return({ id }) });
export const useReturnCounts = () =>
  useQuery({ queryKey: [...keys.returns, 'counts'], queryFn: () => client.returnCounts(), refetchInterval: 15_000 });
export const useStorms = () =>
  useQuery({ queryKey: keys.storms, queryFn: () => client.storms(), refetchInterval: 15_000 });
export const useStorm = (id: number) =>
  useQuery({ queryKey: [...keys.storms, id], queryFn: () => client.storm({ id }) });
export const useMailboxes = () =>
  useQuery({ queryKey: [...keys.returns, 'mailboxes'], queryFn: () => client.mailboxes(), refetchInterval: 5_000 });
