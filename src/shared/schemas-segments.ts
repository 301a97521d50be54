import Joi from 'joi';
import { id, name, text, page, newTag } from './schemas.ts';

/** What conditions, segments and snapshots are asked with. */

const conditionText = Joi.alternatives(Joi.string().max(20_000), Joi.object().unknown())
  .required()
  .description('In the language of docs/conditions.md, or its tree as a preview answers it');
export const conditionRequest = Joi.object({ brandId: id.required(), condition: conditionText });
export const conditionExplain = Joi.object({
  brandId: id.required(),
  condition: conditionText,
  address: text(320).required(),
});
const conditionTexts = Joi.array().items(Joi.string().max(20_000));
export const conditionsCompare = Joi.object({
  brandId: id.required(),
  conditions: conditionTexts.min(1).max(10).required(),
  without: conditionTexts.max(10).default([]).description('Left out of each'),
}); // prettier-ignore
export const conditionNamesQuery = Joi.object({ brandId: id.required() });
export const snapshotsQuery = Joi.object({ brandId: id, segmentId: id });
export const newSnapshot = Joi.object({ name: name(160) });
const pair = { with: id.description('Another snapshot; else the segment as it is now') };
export const snapshotPair = Joi.object(pair);
export const snapshotChangeQuery = Joi.object({ ...page, ...pair, direction: Joi.string().valid('came', 'left').required() }); // prettier-ignore
export const segmentsQuery = Joi.object({ brandId: id });
const segmentTags = Joi.array().items(newTag).unique().max(20).description('Words to find segments by');
export const newSegment = Joi.object({
  brandId: id.required(),
  name: name(120).required(),
  description: text(2000).allow(''),
  tags: segmentTags,
  condition: conditionText,
  reason: text(500),
});
export const segmentChange = Joi.object({
  name: name(120),
  description: text(2000).allow(''),
  tags: segmentTags,
  condition: conditionText.optional(),
  reason: text(500).required(),
});
