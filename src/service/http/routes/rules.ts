import type { BounceRule } from '../../../core/rules/bounce-count.ts';
import type { ScoreRule } from '../../../core/rules/score.ts';
import type { SunsetRule } from '../../../core/rules/sunset-ladder.ts';
import { beginBounces, previewBounceRule } from '../../../operations/rules/bounce-rule.ts';
import { beginSunset, previewSunsetRule } from '../../../operations/rules/sunset-rule.ts';
import { getScoreRule, previewScoreRule, saveScoreRule } from '../../../operations/rules/score-rule.ts';
import { workFirst } from '../../../operations/runs/work-through.ts';
import * as schema from '../../../shared/schemas.ts';
import * as ruleSchema from '../../../shared/schemas-rules.ts';
import { findSunsetRule, findVersionedBounceRule } from '../../../store/statements/rules.ts';
import { listScoreRules } from '../../../store/statements/scores.ts';
import { route, type Route } from '../route.ts';

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
    method: 'post', path: '/rules/sunset/:brandId/apply', summary: 'Move everybody to their stage, as a run', params: schema.brandParams, body: ruleSchema.sunsetApply, status: 202,
    handle: async ({ deps, params, body, who }) => workFirst(deps, await beginSunset(deps, { brandId: params.brandId, rule: body.rule, expected: body.expect, reason: body.reason, actor: who.name, actorKind: 'person' })),
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
    method: 'post', path: '/rules/bounce/apply', summary: 'Mark everybody by the bounce rule, as a run', body: ruleSchema.bounceApply, status: 202,
    handle: async ({ deps, body, who }) => workFirst(deps, await beginBounces(deps, { rule: body.rule, expected: body.expect, reason: body.reason, actor: who.name, actorKind: 'person' })),
  }),
]; // prettier-ignore
