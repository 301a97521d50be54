import { rules } from '../../../shared/contract/rules.ts';
import { handlers } from '../route.ts';
import { beginBounces, getBounceRule, previewBounceRule } from '../../../operations/rules/bounce-rule.ts';
import { beginSunset, getSunsetRule, previewSunsetRule } from '../../../operations/rules/sunset-rule.ts';
import {
  getScoreRule,
  listScoreVersions,
  previewScoreRule,
  saveScoreRule,
} from '../../../operations/scores/score-rule.ts';
import { workFirst } from '../../../operations/runs/work-through.ts';

export const rulesRoutes = handlers(rules, {
  sunsetRule: ({ deps, params }) => getSunsetRule(deps, params.brandId),
  previewSunset: ({ deps, params, body }) => previewSunsetRule(deps, params.brandId, body.rule),
  applySunset: async ({ deps, params, body, who }) =>
    workFirst(
      deps,
      await beginSunset(deps, {
        brandId: params.brandId,
        rule: body.rule,
        version: body.version,
        expected: body.expect,
        reason: body.reason,
        actor: who.name,
        actorKind: 'person',
      }),
    ),
  scoreRule: ({ deps, params }) => getScoreRule(deps.database, params.brandId),
  scoreVersions: ({ deps, params }) => listScoreVersions(deps, params.brandId),
  previewScore: ({ deps, params, body }) => previewScoreRule(deps, params.brandId, body.rule),
  saveScore: ({ deps, params, body, who }) =>
    saveScoreRule(deps, { ...body, brandId: params.brandId, actor: who.name }),
  bounceRule: ({ deps }) => getBounceRule(deps),
  previewBounce: ({ deps, body }) => previewBounceRule(deps, body.rule),
  applyBounce: async ({ deps, body, who }) =>
    workFirst(
      deps,
      await beginBounces(deps, {
        rule: body.rule,
        version: body.version,
        expected: body.expect,
        reason: body.reason,
        actor: who.name,
        actorKind: 'person',
      }),
    ),
});
