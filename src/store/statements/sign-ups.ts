import type { WithDates } from '../with-dates.ts';
import type { SignUp } from '../../shared/contract/permission.ts';
import { changedBy, execute, rowsOf, type Sql } from '../sql.ts';

/** `noted`: an import said so. */
export type SignUpState = 'pending' | 'confirmed' | 'expired' | 'turned-away' | 'noted';
/** How somebody came to be asked: `asked` is who came by a file and was asked since. */
export type SignUpWay = 'form' | 'api' | 'preferences' | 'import' | 'asked';

/** A sign-up with its proof: when, how, from where, to what text, confirmed when. */
export type SignUpRow = WithDates<SignUp, 'at' | 'confirmedAt' | 'expiresAt'>;

export type NewSignUp = Omit<
  SignUpRow,
  'id' | 'listName' | 'brandId' | 'source' | 'confirmedAt' | 'confirmedNetwork' | 'messages' | 'expiresAt'
> & {
  userAgent: string | null;
  /** Days until a pending one expires. */
  expireDays: number;
};

const COLUMNS = `s.id::float8 AS id, s.list_id AS "listId", l.name AS "listName", l.brand_id AS "brandId", s.address, s.contact_id::float8 AS "contactId", s.name,
  s.state, s.because, s.way, s.network, s.source, s.agreed, s.at, s.confirmed_at AS "confirmedAt", s.confirmed_network AS "confirmedNetwork", s.messages, s.expires_at AS "expiresAt"`;

/** Keeps a sign-up. One that waits already for the same list stays the one; then nothing is returned. */
export async function insertSignUp(sql: Sql, one: NewSignUp): Promise<number | undefined> {
  const rows = await rowsOf<{ id: number }>(
    sql,
    `INSERT INTO sign_up (list_id, address, contact_id, name, state, because, way, network, user_agent, agreed, at, confirmed_at, next_message_at, expires_at)
     VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11::timestamptz, CASE WHEN $5 = 'confirmed' THEN $11::timestamptz END,
       CASE WHEN $5 = 'pending' THEN $11::timestamptz END, CASE WHEN $5 = 'pending' THEN $11::timestamptz + make_interval(days => $12) END)
     ON CONFLICT (address, list_id) WHERE state = 'pending' DO NOTHING RETURNING id::float8 AS id`,
    [
      one.listId,
      one.address,
      one.contactId,
      one.name,
      one.state,
      one.because,
      one.way,
      one.network,
      one.userAgent,
      one.agreed,
      one.at,
      one.expireDays,
    ],
  );
  return rows[0]?.id;
}

/** Whether a contact has said for themselves that they want what they are subscribed to. Uses sign_up_by_contact. */
export async function findConfirmedSignUp(sql: Sql, contactId: number, listId: number): Promise<boolean> {
  const [row] = await rowsOf<{ any: boolean }>(
    sql,
    `SELECT EXISTS (SELECT FROM sign_up u JOIN subscription s ON s.contact_id = u.contact_id AND s.list_id = u.list_id
       WHERE u.contact_id = $1 AND u.list_id = $2 AND u.state = 'confirmed' AND u.confirmed_at >= s.since) AS any`,
    [contactId, listId],
  );
  return row!.any;
}

/**
 * Takes sign-ups whose message is due, the first one or a reminder, and sets when the next is: the message is counted
 * before it goes, so that a crash costs a message and never sends one twice. SKIP LOCKED keeps processes apart.
 */
export async function claimDueSignUps(sql: Sql, now: Date, limit: number): Promise<SignUpRow[]> {
  return rowsOf<SignUpRow>(
    sql,
    `UPDATE sign_up s SET messages = s.messages + 1, next_message_at = s.at + make_interval(days => l.remind_days[s.messages + 1])
     FROM list l WHERE l.id = s.list_id AND s.id IN (
       SELECT id FROM sign_up WHERE state = 'pending' AND next_message_at <= $1 AND expires_at > $1 ORDER BY next_message_at LIMIT $2 FOR UPDATE SKIP LOCKED)
     RETURNING ${COLUMNS}`,
    [now, limit],
  );
}

/** Puts a message off that the relay would not take now. */
export async function putOffSignUp(sql: Sql, id: number, until: Date): Promise<void> {
  await execute(
    sql,
    `UPDATE sign_up SET messages = messages - 1, next_message_at = $2 WHERE id = $1 AND state = 'pending'`,
    [id, until],
  );
}

/**
 * Ends a sign-up that waits, with why; the person is told nothing. `unsent`: the message that was counted for it did
 * not go.
 */
export async function turnAwaySignUp(sql: Sql, id: number, because: string, unsent = false): Promise<void> {
  await execute(
    sql,
    `UPDATE sign_up SET state = 'turned-away', because = $2, next_message_at = NULL, messages = messages - $3::int WHERE id = $1 AND state = 'pending'`,
    [id, because, Number(unsent)],
  );
}

/** One sign-up with its list. */
export async function findSignUp(sql: Sql, id: number): Promise<SignUpRow | undefined> {
  const rows = await rowsOf<SignUpRow>(
    sql,
    `SELECT ${COLUMNS} FROM sign_up s JOIN list l ON l.id = s.list_id WHERE s.id = $1`,
    [id],
  );
  return rows[0];
}

/** Confirms a sign-up that waits; of two at once, one does. */
export async function confirmSignUp(
  sql: Sql,
  id: number,
  contactId: number,
  now: Date,
  network: string | null,
): Promise<boolean> {
  const affected = await changedBy(
    sql,
    `UPDATE sign_up SET state = 'confirmed', contact_id = $2, confirmed_at = $3, confirmed_network = $4, next_message_at = NULL WHERE id = $1 AND state = 'pending'`,
    [id, contactId, now, network],
  );
  return affected > 0;
}

/**
 * Ends sign-ups that nobody confirmed in time, and takes their pending subscriptions away again, journaled. Returns how
 * many ended.
 */
export async function expireSignUps(sql: Sql, now: Date): Promise<number> {
  const rows = await rowsOf(
    sql,
    `WITH ended AS (
       UPDATE sign_up SET state = 'expired', next_message_at = NULL WHERE state = 'pending' AND expires_at <= $1 RETURNING id, contact_id, list_id),
     gone AS (
       DELETE FROM subscription s USING ended e WHERE s.contact_id = e.contact_id AND s.list_id = e.list_id AND s.state = 'pending'
       RETURNING s.contact_id, s.list_id, s.since, e.id),
     noted AS (
       INSERT INTO journal (contact_id, subject, subject_id, before, after, actor_kind, actor, cause)
       SELECT contact_id, 'subscription', list_id, jsonb_build_object('state', 'pending', 'since', since), NULL, 'rule', 'the opt-in', jsonb_build_object('signUp', id, 'cause', 'never confirmed')
       FROM gone)
     SELECT id FROM ended`,
    [now],
  );
  return rows.length;
}

/**
 * Sign-ups in a state, oldest first, after number `after`; of all lists, of one or of a brand's. Uses sign_up_by_state.
 */
export async function listSignUps(
  sql: Sql,
  filter: { state: SignUpState; listId: number | null; brandId?: number | null },
  after: number,
  limit: number,
): Promise<SignUpRow[]> {
  return rowsOf<SignUpRow>(
    sql,
    `SELECT ${COLUMNS} FROM sign_up s JOIN list l ON l.id = s.list_id
     WHERE s.state = $1 AND ($2::int IS NULL OR s.list_id = $2) AND ($5::int IS NULL OR l.brand_id = $5) AND s.id > $3 ORDER BY s.id LIMIT $4`,
    [filter.state, filter.listId, after, limit, filter.brandId ?? null],
  );
}

/** Every sign-up of a contact, latest first: the proof behind their subscriptions. */
export async function listSignUpsOfContact(sql: Sql, contactId: number): Promise<SignUpRow[]> {
  return rowsOf<SignUpRow>(
    sql,
    `SELECT ${COLUMNS} FROM sign_up s JOIN list l ON l.id = s.list_id WHERE s.contact_id = $1 ORDER BY s.id DESC LIMIT 50`,
    [contactId],
  );
}

/** The contact with this address, made if there is none. Two at once make one. */
export async function ensureContact(sql: Sql, address: string, name: string | null, now: Date): Promise<number> {
  const [row] = await rowsOf<{ id: number }>(
    sql,
    `WITH made AS (INSERT INTO contact (address, name, joined_at) VALUES ($1, $2, $3) ON CONFLICT (address) DO NOTHING RETURNING id)
     SELECT id::float8 AS id FROM made UNION ALL SELECT id::float8 FROM contact WHERE address = $1 LIMIT 1`,
    [address, name, now],
  );
  return row ? row.id : ensureContact(sql, address, name, now);
}
