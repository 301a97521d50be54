import { useQuery } from '@tanstack/react-query';
import { client } from '../client.ts';
import { keys } from '../keys.ts';

export const useBrands = () => useQuery({ queryKey: keys.brands, queryFn: () => client.brands(), staleTime: 60_000 });
export const useLists = () => useQuery({ queryKey: keys.lists, queryFn: () => client.lists(), staleTime: 60_000 });
export const useListCounts = () =>
  useQuery({ queryKey: [...keys.lists, 'counts'], queryFn: () => client.listCounts() });
export const useRetention = () => useQuery({ queryKey: keys.retention, queryFn: () => client.retention() });
export const useToday = (brandId: number) =>
  useQuery({ queryKey: keys.today(brandId), queryFn: () => client.today({ brandId }), refetchInterval: 15_000 });
