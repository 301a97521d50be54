import { useQuery } from '@tanstack/react-query';
import type { NewExclusion } from '../../../shared/contract/exclusions.ts';
import { client } from '../client.ts';
import { keys } from '../keys.ts';

export const useCaps = (brandId: number) =>
  useQuery({ queryKey: [...keys.rules, 'caps', brandId], queryFn: () => client.caps({ brandId }) });
export const useBrakeLimits = (brandId: number) =>
  useQuery({ queryKey: [...keys.rules, 'brake', brandId], queryFn: () => client.brakeLimits({ brandId }) });
export const useExclusions = (brandId: number) =>
  useQuery({ queryKey: [...keys.rules, 'exclusions', brandId], queryFn: () => client.exclusions({ brandId }) });
/** Counted when it is asked for: whom one that is being written would leave out. */
export const useExclusionPreview = (one: NewExclusion | null) =>
  useQuery({
    queryKey: [...keys.rules, 'exclusions', 'preview', one],
    queryFn: () => client.previewExclusion(one!),
    enabled: one !== null,
  });
