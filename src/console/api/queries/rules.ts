import { keepPreviousData, useQuery } from '@tanstack/react-query';
import type { BounceRule, ScoreRule, SunsetRule } from '../../../shared/contract/rules.ts';
import { client } from '../client.ts';
import { keys } from '../keys.ts';

export const useSunsetRule = (brandId: number) =>
  useQuery({ queryKey: [...keys.rules, 'sunset', brandId], queryFn: () => client.sunsetRule({ brandId }) });
export const useSunsetPreview = (brandId: number, rule: SunsetRule | undefined) =>
  useQuery({
    queryKey: [...keys.rules, 'preview', brandId, rule],
    queryFn: () => client.previewSunset({ brandId, rule }),
    placeholderData: keepPreviousData,
    enabled: rule !== undefined,
  });
export const useScoreRule = (brandId: number) =>
  useQuery({ queryKey: [...keys.rules, 'score', brandId], queryFn: () => client.scoreRule({ brandId }) });
export const useScorePreview = (brandId: number, rule: ScoreRule | undefined) =>
  useQuery({
    queryKey: [...keys.rules, 'score', brandId, 'preview', rule],
    queryFn: () => client.previewScore({ brandId, rule }),
    placeholderData: keepPreviousData,
  });
export const useBounceRule = () =>
  useQuery({ queryKey: [...keys.rules, 'bounce'], queryFn: () => client.bounceRule() });
export const useBouncePreview = (rule: BounceRule) =>
  useQuery({
    queryKey: [...keys.rules, 'bounce', 'preview', rule],
    queryFn: () => client.previewBounce({ rule }),
    placeholderData: keepPreviousData,
  });
