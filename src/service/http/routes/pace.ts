import { pacing } from '../../../shared/contract/pace.ts';
import { changeBrakeLimits, findBrakeLimits } from '../../../operations/campaigns/brake.ts';
import {
  callOffDomain,
  goOnWithDomain,
  lookAtProgress,
  setCampaignPace,
  stopDomain,
} from '../../../operations/campaigns/progress.ts';
import { handlers } from '../route.ts';

/** How fast a campaign goes, what stops it, and what it waits for. */
export const pacingRoutes = handlers(pacing, {
  campaignProgress: ({ deps, params }) => lookAtProgress(deps, params.id),
  setCampaignPace: ({ deps, params, body, who }) => setCampaignPace(deps, params.id, body.pace, who.name),
  stopDomain: ({ deps, params, body, who }) => stopDomain(deps, params.id, { ...body, actor: who.name }),
  goOnWithDomain: ({ deps, params, body, who }) => goOnWithDomain(deps, params.id, { ...body, actor: who.name }),
  callOffDomain: ({ deps, params, body, who }) => callOffDomain(deps, params.id, { ...body, actor: who.name }),
  brakeLimits: ({ deps, params }) => findBrakeLimits(deps, params.brandId),
  changeBrakeLimits: ({ deps, params, body, who }) => changeBrakeLimits(deps, params.brandId, body, who.name),
});
