import { useQuery } from '@tanstack/react-query';
import { client } from '../client.ts';
import { keys } from '../keys.ts';

export const useLookAlikes = () => useQuery({ queryKey: keys.addresses, queryFn: () => client.lookAlikes() });
export const useMendPreview = (from: string, to: string) =>
  useQuery({ queryKey: [...keys.addresses, from, to], queryFn: () => client.previewMending({ from, to }) });
export const useRefused = () =>
  useQuery({ queryKey: [...keys.addresses, 'refused'], queryFn: () => client.refused({ limit: 50 }) });
export const useSeverities = () =>
  useQuery({ queryKey: [...keys.addresses, 'severities'], queryFn: () => client.severities() });
