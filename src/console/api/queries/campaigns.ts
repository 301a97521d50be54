import { keepPreviousData, useQuery } from '@tanstack/react-query';
import type { PreflightContactsQuery } from '../../../shared/contract/sending.ts';
import type { RecipientsQuery } from '../../../shared/contract/reports.ts';
import { client } from '../client.ts';
import { keys } from '../keys.ts';

const WHILE_RUNNING_MS = 1000;

export const useCampaigns = (filter: Parameters<typeof client.campaigns>[0]) =>
  useQuery({
    queryKey: keys.campaigns(filter ?? {}),
    queryFn: () => client.campaigns(filter),
    placeholderData: keepPreviousData,
  });
export const useSending = () =>
  useQuery({
    queryKey: keys.campaigns({ state: 'sending' }),
    queryFn: () => client.campaigns({ state: 'sending', limit: 3 }),
    refetchInterval: 2000,
  });
/** One that goes on by itself is asked for again. */
export const useCampaign = (id: number) =>
  useQuery({
    queryKey: keys.campaign(id),
    queryFn: () => client.campaign({ id }),
    refetchInterval: (query) =>
      ['scheduled', 'sending', 'resting'].includes(query.state.data?.state ?? '') ? 5000 : false,
  });
export const useWaves = (id: number, isUnderWay: boolean) =>
  useQuery({
    queryKey: [...keys.campaign(id), 'waves'],
    queryFn: () => client.waves({ id }),
    refetchInterval: isUnderWay ? 2000 : false,
  });
export const useProgress = (id: number, isUnderWay: boolean) =>
  useQuery({
    queryKey: [...keys.campaign(id), 'progress'],
    queryFn: () => client.campaignProgress({ id }),
    refetchInterval: isUnderWay ? 2000 : false,
  });
export const usePreflight = (id: number) =>
  useQuery({ queryKey: keys.preflight(id), queryFn: () => client.preflight({ id }) });
export const usePreflightContacts = (
  id: number,
  of: Pick<PreflightContactsQuery, 'reason' | 'by' | 'inSpiteOf'>,
  open: boolean,
) =>
  useQuery({
    queryKey: [...keys.preflight(id), 'contacts', of],
    queryFn: () => client.preflightContacts({ id, ...of, limit: 20 }),
    enabled: open,
  });
/** Read again when the state has changed. */
export const useCampaignChanges = (id: number, state: string) =>
  useQuery({ queryKey: [...keys.campaign(id), 'changes', state], queryFn: () => client.campaignChanges({ id }) });
export const useWhatCame = (id: number, isUnderWay: boolean) =>
  useQuery({
    queryKey: [...keys.campaign(id), 'what-came'],
    queryFn: () => client.whatCame({ id }),
    refetchInterval: isUnderWay ? 5000 : 15_000,
    placeholderData: keepPreviousData,
  });
export const useCompared = (ids: number[]) =>
  useQuery({
    queryKey: keys.campaigns({ compared: ids }),
    queryFn: () => client.compareCampaigns({ ids: ids.join(',') }),
    enabled: ids.length > 1,
  });
export const useReport = (id: number) =>
  useQuery({
    queryKey: [...keys.campaign(id), 'report'],
    queryFn: () => client.report({ id }),
    refetchInterval: (query) => (query.state.data?.state === 'sending' ? WHILE_RUNNING_MS : 5000),
  });
export const useRecipients = (id: number, filter: RecipientsQuery) =>
  useQuery({
    queryKey: [...keys.campaign(id), 'recipients', filter],
    queryFn: () => client.recipients({ id, ...filter, limit: 20 }),
    placeholderData: keepPreviousData,
  });
