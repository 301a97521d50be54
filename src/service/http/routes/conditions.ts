import { conditions } from '../../../shared/contract/conditions.ts';
import { handlers } from '../route.ts';
import { READY_MADE } from '../../../core/conditions/ready-made.ts';
import { compareConditions } from '../../../operations/segments/compare-conditions.ts';
import { listConditionNames } from '../../../operations/segments/condition-context.ts';
import { explainCondition, previewCondition } from '../../../operations/segments/work-out.ts';

export const conditionsRoutes = handlers(conditions, {
  previewCondition: ({ deps, body }) => previewCondition(deps, body),
  explainCondition: ({ deps, body }) => explainCondition(deps, body),
  compareConditions: ({ deps, body }) => compareConditions(deps, body),
  conditionNames: ({ deps, query }) => listConditionNames(deps, query.brandId),
  readyMade: () => Promise.resolve(READY_MADE),
});
