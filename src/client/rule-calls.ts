import type * as api from '../shared/api.ts';
import type * as rules from '../shared/api-rules.ts';
import type { Calls, PageOptions } from './calls.ts';

/** Suppression, rules and runs. */
export function makeRuleCalls({ get, post, send }: Calls) {
  return {
    suppressionLists: () => get<api.SuppressionList[]>('/suppression-lists'),
    createSuppressionList: (list: {
      name: string;
      scope?: string;
      scopeId?: number | null;
      reach?: string;
      exact?: boolean;
    }) => post<api.SuppressionList>('/suppression-lists', list),
    entries: (
      id: number,
      filter: { standing?: string; part?: string; order?: 'oldest' | 'newest' } & PageOptions = {},
    ) => get<api.Page<api.Entry>>(`/suppression-lists/${id}/entries`, filter),
    exportEntries: (id: number, standing?: string) =>
      send<Response>('GET', `/suppression-lists/${id}/entries.csv`, { query: { standing }, stream: true }),
    addEntries: (id: number, values: string[], reason: string, expiresAt: string | null = null) =>
      post<api.EnteredEntries>(`/suppression-lists/${id}/entries`, { values, reason, expiresAt }),
    lift: (entryIds: number[], reason: string) =>
      post<{ runId: number; lifted: number }>('/suppression/lift', { entryIds, reason }),

    sunsetRule: (brandId: number) => get<rules.Versioned<rules.SunsetRule>>(`/rules/sunset/${brandId}`),
    previewSunset: (brandId: number, rule?: rules.SunsetRule) =>
      post<rules.SunsetPreview>(`/rules/sunset/${brandId}/preview`, { rule }),
    applySunset: (brandId: number, expect: number, reason: string, rule?: rules.SunsetRule) =>
      post<api.Run>(`/rules/sunset/${brandId}/apply`, { rule, expect, reason }),
    scoreRule: (brandId: number) => get<rules.VersionedScore>(`/rules/score/${brandId}`),
    scoreVersions: (brandId: number) => get<rules.VersionedScore[]>(`/rules/score/${brandId}/versions`),
    previewScore: (brandId: number, rule?: rules.ScoreRule) =>
      post<rules.ScorePreview>(`/rules/score/${brandId}/preview`, { rule }),
    saveScore: (brandId: number, rule: rules.ScoreRule, version: number, reason: string) =>
      post<rules.VersionedScore>(`/rules/score/${brandId}`, { rule, version, reason }),
    bounceRule: () => get<rules.Versioned<rules.BounceRule>>('/rules/bounce'),
    previewBounce: (rule?: rules.BounceRule) => post<rules.BouncePreview>('/rules/bounce/preview', { rule }),
    applyBounce: (expect: number, reason: string, rule?: rules.BounceRule) =>
      post<api.Run>('/rules/bounce/apply', { rule, expect, reason }),
    runs: (options: PageOptions = {}) => get<api.Page<api.Run>>('/runs', { ...options }),
    run: (id: number) => get<api.Run>(`/runs/${id}`),
    journalContacts: (id: number, options: PageOptions = {}) =>
      get<api.Page<{ id: number; address: string; name: string | null }>>(`/journal/${id}/contacts`, { ...options }),
    runJournal: (id: number, options: { where?: string; brandId?: number } & PageOptions = {}) =>
      get<api.Page<api.JournalItem>>(`/runs/${id}/journal`, { ...options }),
    leftAlone: (id: number, options: PageOptions = {}) =>
      get<api.Page<api.LeftAlone>>(`/runs/${id}/left-alone`, { ...options }),
    undoRun: (id: number, reason: string) => post<api.Run>(`/runs/${id}/undo`, { reason }),
    stopRun: (id: number) => post<api.Run>(`/runs/${id}/stop`),
  };
}
