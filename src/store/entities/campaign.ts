import type { WithDates } from '../with-dates.ts';
import type { Campaign as ShownCampaign } from '../../shared/contract/campaigns.ts';
import { EntitySchema } from 'typeorm';

/** A campaign with its message and audience. */
export type Campaign = WithDates<
  ShownCampaign,
  'changedAt' | 'startedAt' | 'finishedAt' | 'troubleSince' | 'createdAt' | 'startsAt' | 'restsUntil'
>;

/** Table `campaign`. */
export const CampaignEntity = new EntitySchema<Campaign>({
  name: 'campaign',
  columns: {
    id: { type: 'int', primary: true, generated: true },
    brandId: { type: 'int', name: 'brand_id' },
    name: { type: 'text' },
    purpose: { type: 'text' },
    statement: { type: 'text', default: '' },
    format: { type: 'text', default: 'html' },
    subject: { type: 'text' },
    previewLine: { type: 'text', name: 'preview_line', default: '' },
    html: { type: 'text' },
    text: { type: 'text' },
    countLinks: { type: 'boolean', name: 'count_links', default: false },
    listIds: { type: 'int', array: true, name: 'list_ids' },
    leftOutListIds: { type: 'int', array: true, name: 'left_out_list_ids' },
    segmentIds: { type: 'int', array: true, name: 'segment_ids' },
    leftOutSegmentIds: { type: 'int', array: true, name: 'left_out_segment_ids' },
    priority: { type: 'int', default: 3 },
    restDays: { type: 'int', name: 'rest_days', nullable: true },
    sendWindow: { type: 'jsonb', name: 'send_window', nullable: true },
    waves: { type: 'jsonb', nullable: true },
    pace: { type: 'jsonb', nullable: true },
    wave: { type: 'int', default: 1 },
    startsAt: { type: 'timestamptz', name: 'starts_at', nullable: true },
    tolerance: { type: 'float', default: 0.1 },
    restsUntil: { type: 'timestamptz', name: 'rests_until', nullable: true },
    state: { type: 'text' },
    version: { type: 'int', default: 1 },
    pausedBecause: { type: 'text', name: 'paused_because', nullable: true },
    trouble: { type: 'text', nullable: true },
    troubleSince: { type: 'timestamptz', name: 'trouble_since', nullable: true },
    sentElsewhere: { type: 'boolean', name: 'sent_elsewhere' },
    createdAt: { type: 'timestamptz', name: 'created_at', createDate: true },
    changedAt: { type: 'timestamptz', name: 'changed_at', updateDate: true },
    startedAt: { type: 'timestamptz', name: 'started_at', nullable: true },
    finishedAt: { type: 'timestamptz', name: 'finished_at', nullable: true },
  },
});
