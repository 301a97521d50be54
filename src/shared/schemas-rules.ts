import Joi from 'joi';
import { reason } from './schemas.ts';
import { SCORED_ACTS } from './words.ts';

/** What ladders, bounce counts and scores are asked and kept with. */

export const sunsetRule = Joi.object({
  steps: Joi.array()
    .ordered(
      ...(['fading', 'dormant', 'sunset'] as const).map((stage) =>
        Joi.object({
          stage: Joi.string().valid(stage).required(),
          days: Joi.number().integer().min(1).max(3650).required(),
          messages: Joi.number().integer().min(1).max(1000).required(),
        }).required(),
      ),
    )
    .required(),
  grace: Joi.object({
    days: Joi.number().integer().min(0).max(3650).required(),
    messages: Joi.number().integer().min(0).max(1000).required(),
  }).required(),
  covers: Joi.string()
    .max(20_000)
    .allow('', null)
    .description('A condition of the brand; whom it does not match stays new'),
  engagingActs: Joi.array()
    .items(Joi.string().valid('opened', 'clicked', 'replied', 'visited', 'purchased', 'confirmed'))
    .unique()
    .required(),
});
export const bounceRule = Joi.object({
  count: Joi.number().integer().min(1).max(100).required(),
  withinDays: Joi.number().integer().min(0).max(3650).required().description('0 counts for ever'),
  onCampaigns: Joi.number().integer().min(1).max(100).required(),
  spreadDays: Joi.number().integer().min(0).max(365).required(),
  classes: Joi.array().items(Joi.string().valid('soft', 'hard')).unique().required(),
  startsAgain: Joi.boolean()
    .default(true)
    .description('Whether an acceptance that stands, or an act of the person, starts the count again'),
});
export const scoreRule = Joi.object({
  acts: Joi.array()
    .items(
      Joi.object({
        act: Joi.string()
          .valid(...SCORED_ACTS)
          .required(),
        points: Joi.number().integer().min(-1000).max(1000).required(),
        days: Joi.number().integer().min(1).max(3650).required().description('How long the points last'),
      }),
    )
    .max(SCORED_ACTS.length)
    .required(),
  joining: Joi.object({
    points: Joi.number().integer().min(-1000).max(1000).required(),
    days: Joi.number().integer().min(1).max(3650).required(),
  }).required(),
}).label('rule');
export const scorePreview = Joi.object({ rule: scoreRule });
export const scoreSave = Joi.object({
  rule: scoreRule.required(),
  version: Joi.number().integer().min(0).required().description('The version that was looked at'),
  reason,
});
const expect = Joi.number().integer().min(0).required().description('How many the preview said would change');
export const sunsetPreview = Joi.object({ rule: sunsetRule });
export const sunsetApply = Joi.object({ rule: sunsetRule, expect, reason });
export const bouncePreview = Joi.object({ rule: bounceRule });
export const bounceApply = Joi.object({ rule: bounceRule, expect, reason });
export const undoRequest = Joi.object({ reason });
