import Joi from 'joi';
import { anyText, instant } from './parts.ts';

/** What leaves somebody out of a campaign: a list or a segment of its own, or a standing exclusion. */
export interface LeftOutBy {
  kind: 'list' | 'segment' | 'exclusion';
  id: number;
  name: string;
}

export const leftOutBySchema = Joi.object<LeftOutBy, true>({
  kind: Joi.string().valid('list', 'segment', 'exclusion').required(),
  id: Joi.number().required(),
  name: anyText.required(),
});

/** What leaves people out, in a query. */
export const whatLeavesOut = Joi.string()
  .pattern(/^(list|segment|exclusion) [1-9]\d{0,9}$/, 'list, segment or exclusion with its number')
  .description('Only whom this leaves out: `list 3`, `segment 4` or `exclusion 5`');

/**
 * The cap that holds somebody back, and the messages that fill it; `of` says whose it is, `campaign` this one's own.
 */
export interface CappedBy {
  messages: number;
  days: number;
  of: 'organisation' | 'brand' | 'campaign';
  by: { campaignId: number; name: string; at: string }[];
}

export const cappedBySchema = Joi.object<CappedBy, true>({
  messages: Joi.number().required(),
  days: Joi.number().required(),
  of: Joi.string().valid('organisation', 'brand', 'campaign').required(),
  by: Joi.array()
    .items(
      Joi.object<CappedBy['by'][number], true>({
        campaignId: Joi.number().required(),
        name: anyText.required(),
        at: instant.required(),
      }),
    )
    .required(),
});
