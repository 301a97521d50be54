import type { Afterwards } from '../../shared/contract/mailboxes.ts';
import { changedBy, execute, rowsOf, type Sql } from '../sql.ts';
import { livingProcessSql } from './processes.ts';

/** What somebody sets of an IMAP mailbox. */
export interface MailboxSettings {
  name: string;
  host: string;
  port: number;
  security: 'tls' | 'starttls' | 'none';
  account: string;
  folder: string;
  brandId: number | null;
  idles: boolean;
  pollSeconds: number;
  afterwards: Afterwards;
}

export interface MailboxRow extends MailboxSettings {
  id: number;
  hasPassword: boolean;
  /** How often its settings were given anew, or it was asked to be looked into. */
  changes: number;
  paused: boolean;
  /** RFC 3501 2.3.1.1; changes when the numbers of the mailbox are no longer the same messages. */
  uidValidity: number | null;
  lastUid: number;
  /** Messages still to be read at the last look. */
  waiting: number | null;
  lastPollAt: Date | null;
  trouble: string | null;
  troubleSince: Date | null;
  processed: number;
}

const COLUMNS = `id, name, host, port, security, account, password IS NOT NULL AS "hasPassword", changes, folder, brand_id AS "brandId", idles, poll_seconds AS "pollSeconds", afterwards, paused,
  uid_validity::float8 AS "uidValidity", last_uid::float8 AS "lastUid", waiting, last_poll_at AS "lastPollAt", trouble, trouble_since AS "troubleSince", processed::float8 AS processed`;

/** Every mailbox, in the order they were added, with its latest poll. */
export async function listMailboxes(sql: Sql): Promise<MailboxRow[]> {
  return rowsOf<MailboxRow>(sql, `SELECT ${COLUMNS} FROM mailbox ORDER BY id`);
}

/** One mailbox, with its latest poll. */
export async function findMailbox(sql: Sql, id: number): Promise<MailboxRow | undefined> {
  const rows = await rowsOf<MailboxRow>(sql, `SELECT ${COLUMNS} FROM mailbox WHERE id = $1`, [id]);
  return rows[0];
}

/**
 * Keeps a mailbox; one of this name gets the new settings and goes on where it was. The password is sealed; null keeps
 * the one there is.
 */
export async function saveMailbox(sql: Sql, settings: MailboxSettings, password: Buffer | null): Promise<number> {
  const rows = await rowsOf<{ id: number }>(
    sql,
    `INSERT INTO mailbox AS m (name, host, port, security, account, password, folder, brand_id, idles, poll_seconds, afterwards)
     VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11::jsonb)
     ON CONFLICT (name) DO UPDATE SET host = excluded.host, port = excluded.port, security = excluded.security, account = excluded.account, password = coalesce(excluded.password, m.password),
       folder = excluded.folder, brand_id = excluded.brand_id, idles = excluded.idles, poll_seconds = excluded.poll_seconds, afterwards = excluded.afterwards, changes = m.changes + 1, trouble = NULL, trouble_since = NULL,
       uid_validity = CASE WHEN (m.host, m.port, m.account, m.folder) = (excluded.host, excluded.port, excluded.account, excluded.folder) THEN m.uid_validity END
     RETURNING id`,
    [
      settings.name,
      settings.host,
      settings.port,
      settings.security,
      settings.account,
      password,
      settings.folder,
      settings.brandId,
      settings.idles,
      settings.pollSeconds,
      JSON.stringify(settings.afterwards),
    ],
  );
  return rows[0]!.id;
}

/** The sealed password of a mailbox, held with its settings until the transaction ends. */
export async function holdMailbox(
  sql: Sql,
  name: string,
): Promise<{ host: string; port: number; account: string; password: Buffer | null } | undefined> {
  const rows = await rowsOf<{ host: string; port: number; account: string; password: Buffer | null }>(
    sql,
    'SELECT host, port, account, password FROM mailbox WHERE name = $1 FOR UPDATE',
    [name],
  );
  return rows[0];
}

/** The sealed password of a mailbox. */
export async function findSealedPassword(sql: Sql, id: number): Promise<Buffer | null> {
  const rows = await rowsOf<{ password: Buffer | null }>(sql, 'SELECT password FROM mailbox WHERE id = $1', [id]);
  return rows[0]?.password ?? null;
}

/** Pauses a mailbox or lets it go on; false when it is not there. */
export async function setPaused(sql: Sql, id: number, paused: boolean): Promise<boolean> {
  const affected = await changedBy(sql, `UPDATE mailbox SET paused = $2 WHERE id = $1`, [id, paused]);
  return affected > 0;
}

/**
 * Has a mailbox looked into now: its session begins anew, in whichever process it is. False when it is paused or not
 * there.
 */
export async function askToLook(sql: Sql, id: number): Promise<boolean> {
  const affected = await changedBy(
    sql,
    `UPDATE mailbox SET changes = changes + 1, trouble = NULL, trouble_since = NULL WHERE id = $1 AND NOT paused`,
    [id],
  );
  return affected > 0;
}

/** Forgets a mailbox; what was fetched from it stays. False when it is not there. */
export async function deleteMailbox(sql: Sql, id: number): Promise<boolean> {
  const affected = await changedBy(sql, `DELETE FROM mailbox WHERE id = $1`, [id]);
  return affected > 0;
}

/**
 * Takes a mailbox for this process, or keeps it: nobody else fetches from it while this process lives. False when
 * another has it, or it is paused or gone.
 */
export async function claimMailbox(sql: Sql, id: number, processId: string): Promise<boolean> {
  const affected = await changedBy(
    sql,
    `UPDATE mailbox SET fetched_by = $2 WHERE id = $1 AND NOT paused AND (fetched_by IS NULL OR fetched_by = $2 OR NOT EXISTS (${livingProcessSql('fetched_by')}))`,
    [id, processId],
  );
  return affected > 0;
}

/** Lets go of every mailbox that this process has. */
export async function releaseMailboxes(sql: Sql, processId: string): Promise<void> {
  await execute(sql, `UPDATE mailbox SET fetched_by = NULL WHERE fetched_by = $1`, [processId]);
}

/** What a look into a mailbox found, or how far it is. Undefined fields stay. */
export async function noteMailbox(
  sql: Sql,
  id: number,
  found: { uidValidity?: number; lastUid?: number; waiting?: number; processed?: number },
): Promise<void> {
  await execute(
    sql,
    `UPDATE mailbox SET uid_validity = coalesce($2, uid_validity), last_uid = coalesce($3, last_uid), waiting = coalesce($4, waiting), processed = processed + $5,
       last_poll_at = now(), trouble = NULL, trouble_since = NULL WHERE id = $1`,
    [id, found.uidValidity, found.lastUid, found.waiting, found.processed ?? 0],
  );
}

/** What keeps a mailbox from being read, since when it does. */
export async function noteTrouble(sql: Sql, id: number, trouble: string): Promise<void> {
  await execute(sql, `UPDATE mailbox SET trouble = $2, trouble_since = coalesce(trouble_since, now()) WHERE id = $1`, [
    id,
    trouble.slice(0, 500),
  ]);
}
