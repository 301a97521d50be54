/**
 * Whom a cap holds back, as SQL over sets and over contacts named one by one: part of eligibility. What counts stands
 * in `mailed`. Both gates ask, and the second takes the place (TAKE_PLACES), so that nobody gets more than a cap
 * allows.
 */

import type { CappedBy } from '../../shared/contract/held-by.ts';

/** The cap that holds somebody back, with the campaigns whose messages fill it. */
export type CappedByRow = Omit<CappedBy, 'by'> & { by: { campaignId: number; at: string }[] };

/** At most so many marketing messages in so many days: of a brand, or of all brands of the organisation. */
export interface CapInEffect {
  messages: number;
  days: number;
  ofAllBrands: boolean;
}

/**
 * The caps that hold for a marketing message of a campaign, as rows `messages, days, brand_id, of`: the organisation's
 * (`brand_id` NULL), the brand's, and its own. What is judged without a campaign is not capped: that passes.
 */
export function cappingSql(campaignId: string, brandId: string, purpose: string): string {
  return `SELECT messages, days, brand_id, CASE WHEN brand_id IS NULL THEN 'organisation' ELSE 'brand' END AS of
    FROM cap WHERE ended_at IS NULL AND ${purpose}::text = 'marketing' AND ${campaignId}::int > 0 AND (brand_id IS NULL OR brand_id = ${brandId}::int)
    UNION ALL SELECT 1, rest_days, brand_id, 'campaign' FROM campaign WHERE id = ${campaignId}::int AND rest_days IS NOT NULL AND ${purpose}::text = 'marketing'`;
}

const SINCE = (days: string): string => `now() - ${days} * interval '24 hours'`;

/** The messages of a contact that count towards a cap `c`, as rows `campaign_id, at`: they were handed over. */
export const countedBy = (contact: string): string =>
  `SELECT n.campaign_id, n.at FROM mailed m CROSS JOIN LATERAL unnest(m.campaigns || m.lost_campaigns, m.at || m.lost_at) AS n (campaign_id, at)
   WHERE m.contact_id = ${contact} AND (c.brand_id IS NULL OR m.brand_id = c.brand_id) AND n.at > ${SINCE('c.days')}`;

/** The caps of `capping c` that are full for a contact. */
const fullCaps = (contact: string): string =>
  `FROM capping c WHERE (SELECT count(*) FROM (${countedBy(contact)}) n) >= c.messages`;

/** Whether a cap is full for `person p`, looked up contact by contact. */
export const CAPPED_OF_FEW = `EXISTS (SELECT ${fullCaps('p.contact_id')})`;

/** The cap that holds a contact back, the longest that is full, with the messages that fill it, as JSON. */
export const cappedBySql = (contact: string): string =>
  `(SELECT json_build_object('messages', c.messages, 'days', c.days, 'of', c.of, 'by', (SELECT json_agg(json_build_object('campaignId', n.campaign_id, 'at', n.at) ORDER BY n.at, n.campaign_id) FROM (${countedBy(contact)}) n))
    ${fullCaps(contact)} ORDER BY c.days DESC, c.messages LIMIT 1)`;

/** How many instants of an array, which is in order, lie within so many days. */
const within = (array: string, days: number): string =>
  `cardinality(${array}) - width_bucket(${SINCE(String(days))}, ${array})`;
const handedOver = (days: number): string => `${within('at', days)} + ${within('lost_at', days)}`;

/**
 * The rows of `mailed` that caps read, joined to `person p`: the brand's, and where it matters all brands' together.
 */
export function joinMailed(caps: CapInEffect[]): string {
  const counts = (of: CapInEffect[], count: (days: number) => string): string =>
    [...new Set(of.map(({ days }) => days))].map((days) => `${count(days)} AS in_${days}`).join(', ');
  const [ofAll, ofBrand] = [caps.filter(({ ofAllBrands }) => ofAllBrands), caps.filter((cap) => !cap.ofAllBrands)];
  return [
    ...(ofBrand.length > 0
      ? [
          `LEFT JOIN (SELECT contact_id, ${counts(ofBrand, handedOver)} FROM mailed WHERE brand_id = $2::int) mb ON mb.contact_id = p.contact_id`,
        ]
      : []),
    ...(ofAll.length > 0
      ? [
          `LEFT JOIN (SELECT contact_id, ${counts(ofAll, (days) => `sum(${handedOver(days)})`)} FROM mailed GROUP BY contact_id) mo ON mo.contact_id = p.contact_id`,
        ]
      : []),
  ].join('\n    ');
}

/** Whether a cap is full, over what joinMailed joins. */
export function cappedOfMany(caps: CapInEffect[]): string {
  const tests = caps.map(({ messages, days, ofAllBrands }) => `${ofAllBrands ? 'mo' : 'mb'}.in_${days} >= ${messages}`);
  return tests.length > 0 ? `coalesce(${tests.join(' OR ')}, false)` : 'false';
}

/** Whether no cap of the brand is full, over a row of `mailed` and `capping`. */
export const hasRoom = (row: string): string =>
  `NOT EXISTS (SELECT FROM capping c WHERE c.brand_id IS NOT NULL AND (SELECT count(*) FROM unnest(${row}.at || ${row}.lost_at) AS n (at) WHERE n.at > ${SINCE('c.days')}) >= c.messages)`;
