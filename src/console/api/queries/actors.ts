import { keepPreviousData, useQuery } from '@tanstack/react-query';
import type { AutomatedPreviewRequest } from '../../../shared/contract/actors.ts';
import { client } from '../client.ts';
import { keys } from '../keys.ts';

export const useAutomated = (filter: Parameters<typeof client.automated>[0]) =>
  useQuery({
    queryKey: [...keys.machines, filter],
    queryFn: () => client.automated(filter),
    placeholderData: keepPreviousData,
  });
export const useAutomatedPreview = (rule: AutomatedPreviewRequest['rule']) =>
  useQuery({
    queryKey: [...keys.machines, 'preview', rule],
    queryFn: () => client.previewAutomated({ rule }),
    placeholderData: keepPreviousData,
  });
export const useRejudging = () =>
  useQuery({ queryKey: [...keys.machines, 'rejudging'], queryFn: () => client.previewRejudging() });
export const useProxies = () => useQuery({ queryKey: [...keys.machines, 'proxies'], queryFn: () => client.proxies() });
