import { exclusions } from '../../../shared/contract/exclusions.ts';
import {
  createExclusion,
  endExclusion,
  lookAtExclusions,
  lookAtSetAside,
  previewExclusion,
  setExclusionAside,
  takeExclusionUp,
} from '../../../operations/campaigns/exclusions.ts';
import { handlers } from '../route.ts';

/** Whom every marketing campaign leaves out. */
export const exclusionsRoutes = handlers(exclusions, {
  exclusions: ({ deps, query }) => lookAtExclusions(deps, query),
  previewExclusion: ({ deps, body }) => previewExclusion(deps, body),
  createExclusion: ({ deps, body, who }) => createExclusion(deps, { ...body, actor: who.name }),
  endExclusion: ({ deps, params, body, who }) => endExclusion(deps, params.id, body.reason, who.name),
  setAside: ({ deps, params }) => lookAtSetAside(deps, params.id),
  setExclusionAside: ({ deps, params, body, who }) => setExclusionAside(deps, params.id, { ...body, actor: who.name }),
  takeExclusionUp: ({ deps, params, who }) => takeExclusionUp(deps, params.id, params.exclusionId, who.name),
});
