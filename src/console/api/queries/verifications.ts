import { useQuery } from '@tanstack/react-query';
import { client } from '../client.ts';
import { keys } from '../keys.ts';

export const useVerifications = () => useQuery({ queryKey: keys.verifications, queryFn: () => client.verifications() });
export const useVerification = (id: number) =>
  useQuery({ queryKey: [...keys.verifications, id], queryFn: () => client.verification({ id }) });
