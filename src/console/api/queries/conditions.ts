import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { client } from '../client.ts';
import { keys } from '../keys.ts';

export const useReadyMade = () =>
  useQuery({ queryKey: [...keys.segments, 'ready-made'], queryFn: () => client.readyMade(), staleTime: Infinity });
export const useConditionPreview = (brandId: number, condition: string) =>
  useQuery({
    queryKey: [...keys.segments, 'preview', brandId, condition],
    queryFn: () => client.previewCondition({ brandId, condition }),
    enabled: condition.trim() !== '',
    retry: false,
    placeholderData: keepPreviousData,
  });
export const useConditionNames = (brandId: number) =>
  useQuery({ queryKey: [...keys.segments, 'names', brandId], queryFn: () => client.conditionNames({ brandId }) });
export const useExplained = (brandId: number, condition: string, address: string) =>
  useQuery({
    queryKey: [...keys.segments, 'explain', brandId, condition, address],
    queryFn: () => client.explainCondition({ brandId, condition, address }),
    enabled: condition.trim() !== '' && address !== '',
    retry: false,
  });
