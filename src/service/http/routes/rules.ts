import type { BounceRule } from '../../../core/rules/bounce-count.ts';
import type { ScoreRule } from '../../../core/rules/score.ts';
import type { SunsetRule } from '../../../core/rules/sunset-ladder.ts';
import { applyBounceRule, previewBounceRule } from '../../../operations/rules/bounce-rule.ts';
import { applySunsetRule, previewSunsetRule } from '../../../operations/rules/sunset-rule.ts';
import { getScoreRule, previewScoreRule, saveScoreRule } from '../../../operations/rules/score-rule.ts';
import { undoRun } from '../../../operations/rules/undo-run.ts';
import { found } from '../../../operations/problem.ts';
import { overFilter } from '../../../operations/segments/within-time.ts';
import * as schema from '../../../shared/schemas.ts';
import * as ruleSchema from '../../../shared/schemas-rules.ts';
import { findRun, listJournal, listRuns, listSetContacts } from '../../../store/statements/journal.ts';
import { findSunsetRule, findVersionedBounceRule } from '../../../store/statements/rules.ts';
import { listScoreRules } from '../../../store/statements/scores.ts';
import { NEWEST, NEWEST_INT, pageOf, readCursor, type PageQuery } from '../paging.ts';
import { route, type Route } from '../route.ts';

type WithId = { id: number };
type OfBrand = { brandId: number };

export const ruleRoutes: Route[] = [
  route<OfBrand>({
    method: 'get', path: '/rules/sunset/:brandId', summary: 'The sunset rule of a brand', params: schema.brandParams,
    handle: ({ deps, params }) => findSunsetRule(deps.database, params.brandId),
  }),
  route<OfBrand, never, { rule?: SunsetRule }>({
    method: 'post', path: '/rules/sunset/:brandId/preview', summary: 'Who would move, under the saved rule or one that is tried', params: schema.brandParams, body: ruleSchema.sunsetPreview,
    handle: ({ deps, params, body }) => previewSunsetRule(deps, params.brandId, body.rule),
  }),
  route<OfBrand, never, { rule?: SunsetRule; expect: number; reason: string }>({
    method: 'post', path: '/rules/sunset/:brandId/apply', summary: 'Move everybody to their stage, as a run', params: schema.brandParams, body: ruleSchema.sunsetApply,
    handle: ({ deps, params, body, who }) => applySunsetRule(deps, { brandId: params.brandId, rule: body.rule, expected: body.expect, reason: body.reason, actor: who.name, actorKind: 'person' }),
  }),
  route<OfBrand>({
    method: 'get', path: '/rules/score/:brandId', summary: 'The score of a brand', params: schema.brandParams,
    handle: ({ deps, params }) => getScoreRule(deps.database, params.brandId),
  }),
  route<OfBrand>({
    method: 'get', path: '/rules/score/:brandId/versions', summary: 'Every version of a brand’s score, latest first', params: schema.brandParams,
    handle: ({ deps, params }) => listScoreRules(deps.database, params.brandId),
  }),
  route<OfBrand, never, { rule?: ScoreRule }>({
    method: 'post', path: '/rules/score/:brandId/preview', summary: 'How many have which score, and would have under one that is tried', params: schema.brandParams, body: ruleSchema.scorePreview,
    handle: ({ deps, params, body }) => previewScoreRule(deps, params.brandId, body.rule),
  }),
  route<OfBrand, never, { rule: ScoreRule; version: number; reason: string }>({
    method: 'post', path: '/rules/score/:brandId', summary: 'Keep a changed score', params: schema.brandParams, body: ruleSchema.scoreSave,
    handle: ({ deps, params, body, who }) => saveScoreRule(deps, { ...body, brandId: params.brandId, actor: who.name }),
  }),
  route({
    method: 'get', path: '/rules/bounce', summary: 'The bounce rule',
    handle: ({ deps }) => findVersionedBounceRule(deps.database),
  }),
  route<never, never, { rule?: BounceRule }>({
    method: 'post', path: '/rules/bounce/preview', summary: 'Who would become undeliverable or deliverable again', body: ruleSchema.bouncePreview,
    handle: ({ deps, body }) => previewBounceRule(deps, body.rule),
  }),
  route<never, never, { rule?: BounceRule; expect: number; reason: string }>({
    method: 'post', path: '/rules/bounce/apply', summary: 'Mark everybody by the bounce rule, as a run', body: ruleSchema.bounceApply,
    handle: ({ deps, body, who }) => applyBounceRule(deps, { rule: body.rule, expected: body.expect, reason: body.reason, actor: who.name, actorKind: 'person' }),
  }),
  route<never, PageQuery>({
    method: 'get', path: '/runs', summary: 'Runs, latest first', query: schema.pageQuery,
    async handle({ deps, query }) {
      return pageOf(await listRuns(deps.database, readCursor(query.cursor, NEWEST_INT), query.limit + 1), query.limit, (row) => row.id);
    },
  }),
  route<WithId>({
    method: 'get', path: '/runs/:id', summary: 'One run', params: schema.idParams,
    async handle({ deps, params }) {
      return found(await findRun(deps.database, params.id), `run ${params.id}`);
    },
  }),
  route<WithId, PageQuery & { where?: string; brandId?: number }>({
    method: 'get', path: '/runs/:id/journal', summary: 'What a run changed, of all or of those whom a condition matches now', params: schema.idParams, query: schema.runJournalQuery,
    handle: ({ deps, params, query: { where, brandId, cursor, limit } }) =>
      overFilter(deps, { where: where ?? null, brandId: brandId ?? 0 }, async (sql) =>
        pageOf(await listJournal(sql, { runId: params.id, matching: where !== undefined }, readCursor(cursor, NEWEST), limit + 1), limit, (row) => row.id)),
  }),
  route<WithId, PageQuery>({
    method: 'get', path: '/journal/:id/contacts', summary: 'The contacts that one journal row speaks of as a set', params: schema.contactParams, query: schema.pageQuery,
    async handle({ deps, params, query }) {
      return pageOf(await listSetContacts(deps.database, params.id, readCursor(query.cursor, 0), query.limit + 1), query.limit, (row) => row.id);
    },
  }),
  route<WithId, never, { reason: string }>({
    method: 'post', path: '/runs/:id/undo', summary: 'Put back what a run changed, except what was changed again since', params: schema.idParams, body: ruleSchema.undoRequest,
    handle: ({ deps, params, body, who }) => undoRun(deps, params.id, body.reason, who.name),
  }),
]; // prettier-ignore
