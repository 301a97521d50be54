import type { WithDates } from '../with-dates.ts';
import type { Bounce } from '../../shared/contract/contacts.ts';
import { rowsOf, type Sql } from '../sql.ts';

/** One bounce of a contact, as the contact page shows it. */
export type BounceEvidence = WithDates<Bounce, 'at'>;

/** The contact's latest bounces, newest first. */
export async function findRecentBounces(sql: Sql, contactId: number): Promise<BounceEvidence[]> {
  return rowsOf<BounceEvidence>(
    sql,
    `SELECT e.id, e.occurred_at AS at, e.detail->>'class' AS class, e.detail->>'status' AS status, e.detail->>'reply' AS reply, e.detail->>'because' AS because,
       e.campaign_id AS "campaignId", k.name AS "campaignName"
     FROM event e LEFT JOIN campaign k ON k.id = e.campaign_id WHERE e.contact_id = $1 AND e.kind = 'bounced' ORDER BY e.occurred_at DESC LIMIT 12`,
    [contactId],
  );
}
