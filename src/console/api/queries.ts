import { keepPreviousData, useQuery } from '@tanstack/react-query';
import type { BounceRule, ScoreRule, SunsetRule } from '../../shared/api-rules.ts';
import { client } from './client.ts';
import { keys } from './keys.ts';

/** What pages ask the service for, one hook a thing. */

const WHILE_RUNNING_MS = 1000;

export const useBrands = () => useQuery({ queryKey: keys.brands, queryFn: () => client.brands(), staleTime: 60_000 });
export const useLists = () => useQuery({ queryKey: keys.lists, queryFn: () => client.lists(), staleTime: 60_000 });
export const useListCounts = () =>
  useQuery({ queryKey: [...keys.lists, 'counts'], queryFn: () => client.listCounts() });
export const useTokens = () => useQuery({ queryKey: keys.tokens, queryFn: () => client.tokens({ limit: 50 }) });
export const useRetention = () => useQuery({ queryKey: keys.retention, queryFn: () => client.retention() });
export const useSessions = () => useQuery({ queryKey: keys.sessions, queryFn: () => client.sessions() });
export const useToday = (brandId: number) =>
  useQuery({ queryKey: keys.today(brandId), queryFn: () => client.today(brandId), refetchInterval: 15_000 });

export const useContacts = (filter: Parameters<typeof client.contacts>[0]) =>
  useQuery({
    queryKey: keys.contacts(filter),
    queryFn: () => client.contacts(filter),
    placeholderData: keepPreviousData,
  });
export const useContact = (id: number) => useQuery({ queryKey: keys.contact(id), queryFn: () => client.contact(id) });
export const useCheck = (address: string) =>
  useQuery({ queryKey: keys.check(address), queryFn: () => client.check(address), enabled: address !== '' });
export const useTimeLine = (id: number, kinds: string, limit: number) =>
  useQuery({
    queryKey: [...keys.contact(id), 'time-line', kinds, limit],
    queryFn: () => client.timeLine(id, { kinds: kinds || undefined, limit }),
    placeholderData: keepPreviousData,
  });
export const useContactJournal = (id: number) =>
  useQuery({ queryKey: [...keys.contact(id), 'journal'], queryFn: () => client.contactJournal(id, { limit: 30 }) });
export const useImports = () =>
  useQuery({ queryKey: keys.imports, queryFn: () => client.imports({ limit: 10 }), refetchInterval: 5000 });
/** Imports under way are among the latest. */
export const useImporting = () =>
  useQuery({ queryKey: [...keys.imports, 'under way'], queryFn: () => client.imports({ limit: 3 }), refetchInterval: 2000 }); // prettier-ignore
export const useImport = (id: number | null) =>
  useQuery({
    queryKey: [...keys.imports, id],
    queryFn: () => client.import(id!),
    enabled: id !== null,
    refetchInterval: (query) =>
      query.state.data && ['finished', 'failed', 'cancelled'].includes(query.state.data.state) ? false : 400,
  });

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
export const useCampaign = (id: number) =>
  useQuery({ queryKey: keys.campaign(id), queryFn: () => client.campaign(id) });
export const usePreflight = (id: number) =>
  useQuery({ queryKey: keys.preflight(id), queryFn: () => client.preflight(id) });
export const usePreflightContacts = (id: number, reason: string | undefined, open: boolean) =>
  useQuery({
    queryKey: [...keys.preflight(id), 'contacts', reason],
    queryFn: () => client.preflightContacts(id, reason, { limit: 20 }),
    enabled: open,
  });
export const usePreview = (id: number, address?: string) =>
  useQuery({ queryKey: [...keys.campaign(id), 'preview', address], queryFn: () => client.preview(id, address) });
/** Read again when the state has changed. */
export const useCampaignChanges = (id: number, state: string) =>
  useQuery({ queryKey: [...keys.campaign(id), 'changes', state], queryFn: () => client.campaignChanges(id) });
export const useReport = (id: number) =>
  useQuery({
    queryKey: [...keys.campaign(id), 'report'],
    queryFn: () => client.report(id),
    refetchInterval: (query) => (query.state.data?.state === 'sending' ? WHILE_RUNNING_MS : 5000),
  });
export const useRecipients = (
  id: number,
  filter: { state?: string; reason?: string; acted?: string; actor?: string } | null,
) =>
  useQuery({
    queryKey: [...keys.campaign(id), 'recipients', filter],
    queryFn: () => client.recipients(id, { ...filter, limit: 20 }),
    enabled: filter !== null,
  });

export const useSuppressionLists = () =>
  useQuery({ queryKey: keys.suppression, queryFn: () => client.suppressionLists() });
export const useEntries = (
  id: number | undefined,
  filter: { standing: string; part: string; order: 'oldest' | 'newest'; cursor?: string; limit?: number },
) =>
  useQuery({
    queryKey: keys.entries({ id, ...filter }),
    queryFn: () => client.entries(id!, filter),
    enabled: id !== undefined,
    placeholderData: keepPreviousData,
  });

export const useSunsetRule = (brandId: number) =>
  useQuery({ queryKey: [...keys.rules, 'sunset', brandId], queryFn: () => client.sunsetRule(brandId) });
export const useSunsetPreview = (brandId: number, rule: SunsetRule | undefined) =>
  useQuery({
    queryKey: [...keys.rules, 'preview', brandId, rule],
    queryFn: () => client.previewSunset(brandId, rule),
    placeholderData: keepPreviousData,
    enabled: rule !== undefined,
  });
export const useScoreRule = (brandId: number) =>
  useQuery({ queryKey: [...keys.rules, 'score', brandId], queryFn: () => client.scoreRule(brandId) });
export const useScorePreview = (brandId: number, rule: ScoreRule | undefined) =>
  useQuery({
    queryKey: [...keys.rules, 'score', brandId, 'preview', rule],
    queryFn: () => client.previewScore(brandId, rule),
    placeholderData: keepPreviousData,
  });
export const useBounceRule = () =>
  useQuery({ queryKey: [...keys.rules, 'bounce'], queryFn: () => client.bounceRule() });
export const useBouncePreview = (rule: BounceRule) =>
  useQuery({
    queryKey: [...keys.rules, 'bounce', 'preview', rule],
    queryFn: () => client.previewBounce(rule),
    placeholderData: keepPreviousData,
  });

export const useRuns = () => useQuery({ queryKey: keys.runs, queryFn: () => client.runs({ limit: 50 }) });
/** Runs under way are among the latest. */
export const useRunsUnderWay = () =>
  useQuery({ queryKey: [...keys.runs, 'under way'], queryFn: () => client.runs({ limit: 10 }), refetchInterval: 2000 });
export const useRun = (id: number) =>
  useQuery({
    queryKey: keys.run(id),
    queryFn: () => client.run(id),
    refetchInterval: (query) => (query.state.data?.finishedAt === null ? 500 : false),
  });
export const useLeftAlone = (id: number, cursor: string | undefined) =>
  useQuery({
    queryKey: [...keys.run(id), 'left alone', cursor],
    queryFn: () => client.leftAlone(id, { cursor, limit: 50 }),
    placeholderData: keepPreviousData,
  });
export const useRunJournal = (id: number, cursor: string | undefined) =>
  useQuery({
    queryKey: [...keys.run(id), 'journal', cursor],
    queryFn: () => client.runJournal(id, { cursor, limit: 50 }),
    placeholderData: keepPreviousData,
  });
export const useJournalContacts = (id: number, enabled: boolean) =>
  useQuery({ queryKey: [...keys.runs, 'set', id], queryFn: () => client.journalContacts(id, { limit: 50 }), enabled });

export const useSignUps = (filter: Parameters<typeof client.signUps>[0]) =>
  useQuery({
    queryKey: keys.signUps(filter ?? {}),
    queryFn: () => client.signUps(filter),
    placeholderData: keepPreviousData,
  });
export const useContactSignUps = (id: number) =>
  useQuery({ queryKey: [...keys.contact(id), 'sign-ups'], queryFn: () => client.contactSignUps(id) });
export const useCost = () => useQuery({ queryKey: keys.cost, queryFn: () => client.cost() });

export const useReconciliations = () =>
  useQuery({ queryKey: keys.reconciliations, queryFn: () => client.reconciliations() });
export const useReconciliation = (id: number) =>
  useQuery({ queryKey: [...keys.reconciliations, id], queryFn: () => client.reconciliation(id) });
export const useReconciled = (id: number, query: Parameters<typeof client.reconciled>[1]) =>
  useQuery({
    queryKey: [...keys.reconciliations, id, 'rows', query],
    queryFn: () => client.reconciled(id, { ...query, limit: 50 }),
    placeholderData: keepPreviousData,
  });

export const useLookAlikes = () => useQuery({ queryKey: keys.addresses, queryFn: () => client.lookAlikes() });
export const useMendPreview = (from: string, to: string) =>
  useQuery({ queryKey: [...keys.addresses, from, to], queryFn: () => client.previewMending(from, to) });
export const useRefused = () =>
  useQuery({ queryKey: [...keys.addresses, 'refused'], queryFn: () => client.refused({ limit: 50 }) });
export const useSeverities = () =>
  useQuery({ queryKey: [...keys.addresses, 'severities'], queryFn: () => client.severities() });
export const useHeldRows = (importId: number, enabled: boolean) =>
  useQuery({ queryKey: [...keys.imports, importId, 'held'], queryFn: () => client.heldRows(importId), enabled });
export const useActPreview = (selection: Parameters<typeof client.previewAct>[0] | null) =>
  useQuery({
    queryKey: keys.contacts({ act: selection }),
    queryFn: () => client.previewAct(selection!),
    enabled: selection !== null,
  });

export const useVerifications = () => useQuery({ queryKey: keys.verifications, queryFn: () => client.verifications() });
export const useVerification = (id: number) =>
  useQuery({ queryKey: [...keys.verifications, id], queryFn: () => client.verification(id) });

export const useReturns = (filter: Parameters<typeof client.returns>[0]) =>
  useQuery({ queryKey: [...keys.returns, filter], queryFn: () => client.returns(filter), placeholderData: keepPreviousData, refetchInterval: 15_000 }); // prettier-ignore
export const useReturn = (id: number) =>
  useQuery({ queryKey: [...keys.returns, id], queryFn: () => client.return(id) });
export const useReturnCounts = () => useQuery({ queryKey: [...keys.returns, 'counts'], queryFn: () => client.returnCounts(), refetchInterval: 15_000 }); // prettier-ignore
export const useStorms = () => useQuery({ queryKey: keys.storms, queryFn: () => client.storms(), refetchInterval: 15_000 }); // prettier-ignore
export const useStorm = (id: number) => useQuery({ queryKey: [...keys.storms, id], queryFn: () => client.storm(id) });
export const useMailboxes = () => useQuery({ queryKey: [...keys.returns, 'mailboxes'], queryFn: () => client.mailboxes(), refetchInterval: 5_000 }); // prettier-ignore

export const useAutomated = (filter: Parameters<typeof client.automated>[0]) =>
  useQuery({ queryKey: [...keys.machines, filter], queryFn: () => client.automated(filter), placeholderData: keepPreviousData }); // prettier-ignore
export const useAutomatedPreview = (rule: Parameters<typeof client.previewAutomated>[0]) =>
  useQuery({ queryKey: [...keys.machines, 'preview', rule], queryFn: () => client.previewAutomated(rule), placeholderData: keepPreviousData }); // prettier-ignore
export const useRejudging = () =>
  useQuery({ queryKey: [...keys.machines, 'rejudging'], queryFn: () => client.previewRejudging() });
export const useProxies = () => useQuery({ queryKey: [...keys.machines, 'proxies'], queryFn: () => client.proxies() });

export const useSegments = (brandId: number) =>
  useQuery({ queryKey: [...keys.segments, 'of', brandId], queryFn: () => client.segments(brandId) });
export const useSegment = (id: number) =>
  useQuery({ queryKey: [...keys.segments, id], queryFn: () => client.segment(id) });
export const useReadyMade = () =>
  useQuery({ queryKey: [...keys.segments, 'ready-made'], queryFn: () => client.readyMade(), staleTime: Infinity });
export const useConditionPreview = (brandId: number, condition: string) =>
  useQuery({ queryKey: [...keys.segments, 'preview', brandId, condition], queryFn: () => client.previewCondition({ brandId, condition }), enabled: condition.trim() !== '', retry: false, placeholderData: keepPreviousData }); // prettier-ignore
export const useConditionNames = (brandId: number) =>
  useQuery({ queryKey: [...keys.segments, 'names', brandId], queryFn: () => client.conditionNames(brandId) });
export const useSnapshots = (segmentId: number) =>
  useQuery({ queryKey: [...keys.segments, 'snapshots', segmentId], queryFn: () => client.snapshots({ segmentId }) });
export const useSnapshotChange = (id: number) =>
  useQuery({ queryKey: [...keys.segments, 'change', id], queryFn: () => client.snapshotChange(id) });
export const useSnapshotContacts = (id: number, direction: 'came' | 'left') =>
  useQuery({ queryKey: [...keys.segments, 'change', id, direction], queryFn: () => client.snapshotChangeContacts(id, direction, undefined, { limit: 50 }) }); // prettier-ignore
export const useExplained = (brandId: number, condition: string, address: string) =>
  useQuery({ queryKey: [...keys.segments, 'explain', brandId, condition, address], queryFn: () => client.explainCondition({ brandId, condition, address }), enabled: condition.trim() !== '' && address !== '', retry: false }); // prettier-ignore
