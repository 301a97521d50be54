import type { OutsideVerdict } from '../../shared/words.ts';
import { contactFilterSql, EVERYBODY, filterParameters, type ContactFilter } from './contacts.ts';

/** Whom an act on many concerns: those of whom all that is given here is true. */
export interface Selection {
  /** In normal form. */
  addresses: string[] | null;
  standing: Standing | null;
  /** Those on a reconciled list, or those of ours that are not on it. */
  reconciled: { id: number; on: boolean } | null;
  filter: ContactFilter | null;
  /** Those of whom a verifier's file says this. */
  verified: { id: number; verdict: OutsideVerdict } | null;
  /** Those with these numbers: a piece of a run. */
  ids: number[] | null;
}

/**
 * `unreachable`: not archived, and marketing of no brand reaches them now or would once they confirm. Who can be
 * reached has to be worked out before, by keepReachable.
 */
export type Standing = 'unreachable' | 'archived';

const STANDING_SQL: Readonly<Record<Standing, string>> = {
  unreachable: 'c.archived_at IS NULL AND NOT EXISTS (SELECT FROM reachable r WHERE r.id = c.id)',
  archived: 'c.archived_at IS NOT NULL',
};

/** CTE `picked (id, address, name, archived_at, tags)` over the thirteen of selectionParameters. */
export const pickedCte = ({ filter, standing }: Selection): string => `picked AS (
  SELECT c.id, c.address, c.name, c.archived_at, c.tags FROM contact c
  LEFT JOIN contact_stage cs ON cs.contact_id = c.id AND cs.brand_id = $9::int
  WHERE ($1::text[] IS NULL OR c.address = ANY($1::text[]))
    AND ($3::int IS NULL OR (c.id IN (SELECT u.id FROM reconciliation_chunk k, unnest(k.contact_ids) u (id) WHERE k.reconciliation_id = $3 AND u.id IS NOT NULL)) = $4::boolean)
    AND $2::text IS NOT DISTINCT FROM ${standing ? `'${standing}' AND ${STANDING_SQL[standing]}` : 'NULL'}
    AND ($11::int IS NULL OR c.id IN (
      SELECT r.contact_id FROM verification_row r JOIN verification v ON v.id = r.verification_id JOIN verifier_word w ON w.source = v.source AND w.word = r.word
      WHERE v.id = $11 AND r.contact_id IS NOT NULL AND ($13::bigint[] IS NULL OR r.contact_id = ANY($13::bigint[])) AND w.verdict = $12::text))
    AND ($13::bigint[] IS NULL OR c.id = ANY($13::bigint[]))
    AND ${contactFilterSql(5, filter ?? ANYBODY)})`;

const ANYBODY = { ...EVERYBODY, brandId: null };

/** The parameters of a selection, in the order in which statements read them. */
export function selectionParameters({ addresses, standing, reconciled, filter, verified, ids }: Selection): unknown[] {
  const [list, on] = [reconciled?.id ?? null, reconciled?.on ?? null];
  return [
    addresses,
    standing,
    list,
    on,
    ...filterParameters(filter ?? ANYBODY),
    verified?.id ?? null,
    verified?.verdict ?? null,
    ids,
  ];
}

/** A selection of whom one thing says who they are. */
export function selectionOf(who: Partial<Selection>): Selection {
  return { addresses: null, standing: null, reconciled: null, filter: null, verified: null, ids: null, ...who };
}
