import { schedule } from '../../../shared/contract/schedule.ts';
import {
  beginWaveNow,
  callOffCampaign,
  reportWaves,
  scheduleCampaign,
} from '../../../operations/campaigns/schedule-campaign.ts';
import { handlers } from '../route.ts';

/** When campaigns start, and in which parts they go. */
export const scheduleRoutes = handlers(schedule, {
  scheduleCampaign: ({ deps, params, body, who }) => scheduleCampaign(deps, params.id, { ...body, actor: who.name }),
  callOffCampaign: ({ deps, params, who }) => callOffCampaign(deps, params.id, who.name),
  waves: ({ deps, params }) => reportWaves(deps, params.id),
  beginWave: ({ deps, params, body, who }) =>
    beginWaveNow(deps, params.id, { wave: params.wave, reason: body.reason, actor: who.name }),
});
