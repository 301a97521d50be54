import { useQuery } from '@tanstack/react-query';
import { client } from '../client.ts';
import { keys } from '../keys.ts';

export const useDkimKeys = (brandId: number) =>
  useQuery({ queryKey: [...keys.relay, 'dkim', brandId], queryFn: () => client.dkimKeys({ id: brandId }) });
export const useDnsRecords = (brandId: number) =>
  useQuery({ queryKey: [...keys.relay, 'dns', brandId], queryFn: () => client.dnsRecords({ id: brandId }) });
