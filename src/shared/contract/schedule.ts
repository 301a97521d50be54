import Joi from 'joi';
import { anyText, id, idParams, instant, reason, version } from './parts.ts';
import { campaignSchema } from './campaigns.ts';
import { inSpite } from './sending.ts';
import { contract } from './contract.ts';

/** Body of `POST /campaigns/:id/schedule`. */
export interface ScheduleRequest {
  at: string;
  expect: number;
  inSpite?: number;
  version?: number;
  tolerance?: number;
}

const scheduleRequest = Joi.object<ScheduleRequest, true>({
  at: Joi.string()
    .max(40)
    .required()
    .description('When it starts: `2026-12-03 08:30` by the clock of the brand’s zone, or an instant of RFC 3339'),
  expect: Joi.number().integer().min(0).required().description('How many the preflight said will get it'),
  inSpite,
  version,
  tolerance: Joi.number()
    .min(0)
    .max(1)
    .default(0.1)
    .description('By what share that may have moved by then; beyond it nothing leaves and you are asked'),
});

/** A wave of a campaign that was started, and what became of it. */
export interface Wave {
  wave: number;
  /** In words: `stage is engaged`, `a tenth, by chance`, `the rest`. */
  who: string;
  state: 'waits' | 'held' | 'begun';
  beginsAt: string | null;
  begunAt: string | null;
  begunBy: string | null;
  begunBecause: string | null;
  heldBecause: string | null;
  /** In the ledger: audience = heldBack + waiting + accepted + refused + uncertain. */
  audience: number;
  heldBack: number;
  waiting: number;
  accepted: number;
  refused: number;
  uncertain: number;
  /** Accepted, refused or uncertain. */
  tried: number;
  delivered: number;
  /** What came of it within `hours` of each message’s acceptance, so that waves are compared at the same age. */
  hard: number;
  block: number;
  complaints: number;
  unsubscribed: number;
  opened: number;
  clicked: number;
}

/** The waves of a campaign side by side. */
export interface Waves {
  /** The age at which they are compared: whole hours since the last one began, up to 720. */
  hours: number;
  waves: Wave[];
}

const wavesSchema = Joi.object<Waves, true>({
  hours: Joi.number().required(),
  waves: Joi.array()
    .items(
      Joi.object<Wave, true>({
        wave: Joi.number().required(),
        who: anyText.required(),
        state: Joi.string().valid('waits', 'held', 'begun').required(),
        beginsAt: instant.allow(null).required(),
        begunAt: instant.allow(null).required(),
        begunBy: anyText.allow(null).required(),
        begunBecause: anyText.allow(null).required(),
        heldBecause: anyText.allow(null).required(),
        audience: Joi.number().required(),
        heldBack: Joi.number().required(),
        waiting: Joi.number().required(),
        accepted: Joi.number().required(),
        refused: Joi.number().required(),
        uncertain: Joi.number().required(),
        tried: Joi.number().required(),
        delivered: Joi.number().required(),
        hard: Joi.number().required(),
        block: Joi.number().required(),
        complaints: Joi.number().required(),
        unsubscribed: Joi.number().required(),
        opened: Joi.number().required(),
        clicked: Joi.number().required(),
      }),
    )
    .required(),
});

/** Body of `POST /campaigns/:id/waves/:wave/begin`, with its place. */
export interface BeginWaveRequest {
  reason: string;
}

const beginWaveRequest = Joi.object<BeginWaveRequest, true>({ reason });

/** Parameters of `POST /campaigns/:id/waves/:wave/begin`. */
export interface WaveParams {
  id: number;
  wave: number;
}

const waveParams = Joi.object<WaveParams, true>({ id: id.required(), wave: id.required() });

/** When campaigns start, and in which parts they go. */
export const schedule = {
  scheduleCampaign: contract({
    method: 'post',
    path: '/campaigns/:id/schedule',
    summary: 'Start a campaign later; the audience is worked out afresh then. Said again, it is for another time',
    needs: 'send',
    params: idParams,
    body: scheduleRequest,
    filled: ['inSpite', 'tolerance'],
    answer: campaignSchema,
    problems: ['bad-condition', 'message-unfit', 'nobody-left', 'not-found', 'wrong-state'],
    example: { id: 1, at: '2027-01-08 08:30', expect: 3 },
  }),
  callOffCampaign: contract({
    method: 'post',
    path: '/campaigns/:id/call-off',
    summary: 'Make a campaign that has not started a draft again',
    params: idParams,
    answer: campaignSchema,
    problems: ['not-found', 'wrong-state'],
    example: { id: 1 },
  }),
  waves: contract({
    method: 'get',
    path: '/campaigns/:id/waves',
    summary: 'The waves of a campaign side by side, at the same age',
    params: idParams,
    answer: wavesSchema,
    problems: ['not-found'],
    example: { id: 1 },
  }),
  beginWave: contract({
    method: 'post',
    path: '/campaigns/:id/waves/:wave/begin',
    summary: 'Begin the next wave now, whatever its time and its test say',
    needs: 'send',
    params: waveParams,
    body: beginWaveRequest,
    answer: campaignSchema,
    problems: ['not-found', 'wrong-state'],
    example: { id: 1, wave: 2, reason: 'the hard bounces came by one file, which is mended' },
  }),
};
