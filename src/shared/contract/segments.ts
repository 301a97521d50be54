import Joi from 'joi';
import {
  id,
  name,
  anyText,
  instant,
  version,
  page,
  newTag,
  text,
  arrayOf,
  idParams,
  pageOf,
  matchingContactSchema,
  type PageQuery,
} from './parts.ts';
import { conditionText } from './conditions.ts';
import { contract } from './contract.ts';

/** Who matched a segment at an instant. */
export interface Snapshot {
  id: number;
  brandId: number;
  /** The segment it was frozen from, while that exists. */
  segmentId: number | null;
  name: string;
  /** What the segment asked when it was frozen. */
  condition: string;
  contacts: number;
  takenAt: string;
  takenBy: string;
}
const snapshotSchema = Joi.object<Snapshot, true>({
  id: Joi.number().required(),
  brandId: Joi.number().required(),
  segmentId: Joi.number().allow(null).required(),
  name: anyText.required(),
  condition: anyText.required(),
  contacts: Joi.number().required(),
  takenAt: instant.required(),
  takenBy: anyText.required(),
});

/** Since `from`: until `to`, or until now where that is null. */
export interface SnapshotChange {
  from: Snapshot;
  to: Snapshot | null;
  came: number;
  left: number;
  stayed: number;
}
const snapshotChangeSchema = Joi.object<SnapshotChange, true>({
  from: snapshotSchema.required(),
  to: snapshotSchema.allow(null).required(),
  came: Joi.number().required(),
  left: Joi.number().required(),
  stayed: Joi.number().required(),
});

/** A named condition of a brand, worked out afresh whenever it is used. */
export interface Segment {
  id: number;
  brandId: number;
  name: string;
  description: string;
  tags: string[];
  /** In its canonical form. */
  condition: string;
  version: number;
  changedAt: string;
  changedBy: string;
}
const segmentFields = {
  id: Joi.number().required(),
  brandId: Joi.number().required(),
  name: anyText.required(),
  description: anyText.required(),
  tags: Joi.array().items(anyText).required(),
  condition: anyText.required(),
  version: Joi.number().required(),
  changedAt: instant.required(),
  changedBy: anyText.required(),
};
const segmentSchema = Joi.object<Segment, true>(segmentFields);

/** A segment with its versions, its counts by day and what uses it. */
export interface SegmentDetail extends Segment {
  /** Latest first. */
  versions: {
    version: number;
    name: string;
    condition: string;
    changedAt: string;
    changedBy: string;
    reason: string;
  }[];
  /** Segments that name this one. */
  usedBy: { id: number; name: string }[];
  /** Campaigns that are not at their end and take it in or leave it out. */
  campaigns: { id: number; name: string }[];
  /** How many matched on each of the latest days, in their order. */
  days: { day: string; matching: number; mailable: number }[];
}
const segmentDetailSchema = Joi.object<SegmentDetail, true>({
  ...segmentFields,
  versions: Joi.array()
    .items(
      Joi.object<SegmentDetail['versions'][number], true>({
        version: Joi.number().required(),
        name: anyText.required(),
        condition: anyText.required(),
        changedAt: instant.required(),
        changedBy: anyText.required(),
        reason: anyText.required(),
      }),
    )
    .required(),
  usedBy: Joi.array()
    .items(Joi.object<SegmentDetail['usedBy'][number], true>({ id: Joi.number().required(), name: anyText.required() }))
    .required(),
  campaigns: Joi.array()
    .items(
      Joi.object<SegmentDetail['campaigns'][number], true>({ id: Joi.number().required(), name: anyText.required() }),
    )
    .required(),
  days: Joi.array()
    .items(
      Joi.object<SegmentDetail['days'][number], true>({
        day: anyText.required(),
        matching: Joi.number().required(),
        mailable: Joi.number().required(),
      }),
    )
    .required(),
});

/** Query of `GET /snapshots`. */
export interface SnapshotsQuery {
  brandId?: number;
  segmentId?: number;
}
const snapshotsQuery = Joi.object<SnapshotsQuery, true>({ brandId: id, segmentId: id });

/** Body of `POST /segments/:id/snapshots`. */
export interface NewSnapshot {
  name?: string;
}
const newSnapshot = Joi.object<NewSnapshot, true>({ name: name(160) });

const pair = { with: id.description('Another snapshot; else the segment as it is now') };

/** Query of `GET /snapshots/:id/change`. */
export interface SnapshotPair {
  with?: number;
}
const snapshotPair = Joi.object<SnapshotPair, true>(pair);

/** Query of `GET /snapshots/:id/change/contacts`. */
export interface SnapshotChangeQuery extends PageQuery {
  with?: number;
  direction: 'came' | 'left';
}
const snapshotChangeQuery = Joi.object<SnapshotChangeQuery, true>({
  ...page,
  ...pair,
  direction: Joi.string().valid('came', 'left').required(),
});

/** Query of `GET /segments`. */
export interface SegmentsQuery {
  brandId?: number;
}
const segmentsQuery = Joi.object<SegmentsQuery, true>({ brandId: id });

const segmentTags = Joi.array().items(newTag).unique().max(20).description('Words to find segments by');

/** Body of `POST /segments`. */
export interface NewSegment {
  brandId: number;
  name: string;
  description?: string;
  tags?: string[];
  condition: string | Record<string, unknown>;
  reason?: string;
}
const newSegment = Joi.object<NewSegment, true>({
  brandId: id.required(),
  name: name(120).required(),
  description: text(2000).allow(''),
  tags: segmentTags,
  condition: conditionText,
  reason: text(500),
});

/** Body of `PATCH /segments/:id`. */
export interface SegmentChange {
  name?: string;
  description?: string;
  tags?: string[];
  condition?: string | Record<string, unknown>;
  version?: number;
  reason: string;
}
const segmentChange = Joi.object<SegmentChange, true>({
  name: name(120),
  description: text(2000).allow(''),
  tags: segmentTags,
  condition: conditionText.optional(),
  version,
  reason: text(500).required(),
});

/** Segments. */
export const segments = {
  segments: contract({
    method: 'get',
    path: '/segments',
    summary: 'Segments, of one brand or all',
    query: segmentsQuery,
    answer: arrayOf(segmentSchema),
    example: { brandId: 1 },
  }),
  createSegment: contract({
    method: 'post',
    path: '/segments',
    summary: 'Keep a condition under a name',
    body: newSegment,
    status: 201,
    answer: segmentSchema,
    problems: ['bad-condition', 'name-taken', 'not-found', 'took-too-long'],
    example: { brandId: 1, name: 'Readers', condition: 'read in the last 60 days', reason: 'for the monthly letter' },
  }),
  segment: contract({
    method: 'get',
    path: '/segments/:id',
    summary: 'One segment with its versions, its counts by day, and what uses it',
    params: idParams,
    answer: segmentDetailSchema,
    problems: ['bad-condition', 'not-found', 'took-too-long'],
    example: { id: 1 },
  }),
  changeSegment: contract({
    method: 'patch',
    path: '/segments/:id',
    summary: 'Change a segment, as another version',
    params: idParams,
    body: segmentChange,
    answer: segmentSchema,
    problems: ['bad-condition', 'changed-meanwhile', 'name-taken', 'not-found', 'took-too-long'],
    example: { id: 1, condition: 'read in the last 90 days', version: 1, reason: 'the letter comes less often' },
  }),
  removeSegment: contract({
    method: 'delete',
    path: '/segments/:id',
    summary: 'Delete a segment that none uses',
    params: idParams,
    status: 204,
    problems: ['not-found', 'wrong-state'],
    example: { id: 1 },
  }),
  freezeSegment: contract({
    method: 'post',
    path: '/segments/:id/snapshots',
    summary: 'Freeze who matches a segment now',
    params: idParams,
    body: newSnapshot,
    status: 201,
    answer: snapshotSchema,
    problems: ['bad-condition', 'name-taken', 'not-found', 'took-too-long'],
    example: { id: 1, name: 'Readers in December' },
  }),
  snapshots: contract({
    method: 'get',
    path: '/snapshots',
    summary: 'Snapshots, latest first',
    query: snapshotsQuery,
    answer: arrayOf(snapshotSchema),
    example: { segmentId: 1 },
  }),
  snapshotChange: contract({
    method: 'get',
    path: '/snapshots/:id/change',
    summary: 'How many came in and left since a snapshot',
    params: idParams,
    query: snapshotPair,
    answer: snapshotChangeSchema,
    problems: ['bad-condition', 'not-found', 'took-too-long'],
    example: { id: 1 },
  }),
  snapshotChangeContacts: contract({
    method: 'get',
    path: '/snapshots/:id/change/contacts',
    summary: 'Who came in, or left, since a snapshot',
    params: idParams,
    query: snapshotChangeQuery,
    filled: ['limit'],
    answer: pageOf(matchingContactSchema),
    problems: ['bad-condition', 'took-too-long'],
    example: { id: 1, direction: 'came', limit: 20 },
  }),
  removeSnapshot: contract({
    method: 'delete',
    path: '/snapshots/:id',
    summary: 'Delete a snapshot that no segment names',
    params: idParams,
    status: 204,
    problems: ['not-found', 'wrong-state'],
    example: { id: 1 },
  }),
};
