import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { client } from '../client.ts';
import { keys } from '../keys.ts';

export const useSignUps = (filter: Parameters<typeof client.signUps>[0]) =>
  useQuery({
    queryKey: keys.signUps(filter ?? {}),
    queryFn: () => client.signUps(filter),
    placeholderData: keepPreviousData,
  });
export const useContactSignUps = (id: number) =>
  useQuery({ queryKey: [...keys.contact(id), 'sign-ups'], queryFn: () => client.contactSignUps({ id }) });
