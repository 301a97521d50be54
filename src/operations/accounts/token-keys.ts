import { randomBytes } from 'node:crypto';
import type { Secrets } from '../../core/access/seal.ts';
import type { TokenKey } from '../../core/message/token.ts';
import { inTransaction } from '../../store/database.ts';
import type { Sql } from '../../store/sql.ts';
import {
  holdTokenKeys,
  insertTokenKey,
  listTokenKeys,
  sealTokenKey,
  type KeptTokenKey,
} from '../../store/statements/token-keys.ts';
import type { Deps } from '../deps.ts';
import { Problem } from '../problem.ts';

const KEY_BYTES = 32;
/** A token carries its key's version in one byte. */
const MOST_VERSIONS = 255;
/** Every process looks for new keys this often, in milliseconds… */
export const KEYS_LOOKED_FOR_MS = 20_000;
/** …and a new one is used only when all know it. */
const ACTIVE_AFTER_MS = 60_000;

type Outside = Pick<Deps, 'database' | 'secrets'>;

/**
 * The signing keys of the organisation, newest first. The first start makes one; what is not yet encrypted is now, if
 * there is a key for it.
 */
export function prepareTokenKeys({ database, secrets }: Outside): Promise<TokenKey[]> {
  return inTransaction(database, async (sql) => {
    const kept = await holdTokenKeys(sql);
    if (kept.length === 0) await addKey(sql, secrets, 1, new Date(0));
    for (const key of kept)
      if (secrets && (!key.sealed || secrets.isOld(key.secret)))
        await sealTokenKey(sql, key.version, secrets.seal(openKey(secrets, key), purposeOf(key.version)));
    return (await listTokenKeys(sql)).map((key) => asTokenKey(secrets, key));
  });
}

/** Takes up keys that another process has made. */
export async function refreshTokenKeys(deps: Outside & Pick<Deps, 'tokens' | 'now'>): Promise<void> {
  const keys = (await listTokenKeys(deps.database.manager)).map((key) => asTokenKey(deps.secrets, key));
  deps.tokens.useKeys(keys, deps.now().getTime());
}

/**
 * Makes a new signing key. Messages are signed with it after a minute, when every process knows it; what is signed with
 * older ones stays valid, since those messages are out. @throws Problem wrong-state when there are as many as a token
 * can name
 */
export async function rotateKeys(deps: Deps): Promise<{ version: number; activeAt: Date }> {
  const activeAt = new Date(deps.now().getTime() + ACTIVE_AFTER_MS);
  const version = await inTransaction(deps.database, async (sql) => {
    const next = (await holdTokenKeys(sql))[0]!.version + 1;
    if (next > MOST_VERSIONS)
      throw new Problem(
        'wrong-state',
        `There are ${MOST_VERSIONS} signing keys already, and a token can name no more.`,
      );
    await addKey(sql, deps.secrets, next, activeAt);
    return next;
  });
  await refreshTokenKeys(deps);
  return { version, activeAt };
}

async function addKey(sql: Sql, secrets: Secrets | undefined, version: number, activeAt: Date): Promise<void> {
  const secret = randomBytes(KEY_BYTES);
  await insertTokenKey(sql, {
    version,
    secret: secrets?.seal(secret, purposeOf(version)) ?? secret,
    sealed: secrets !== undefined,
    activeAt,
  });
}

function purposeOf(version: number): string {
  return `token key ${version}`;
}

function asTokenKey(secrets: Secrets | undefined, key: KeptTokenKey): TokenKey {
  return { version: key.version, secret: openKey(secrets, key), activeAt: key.activeAt.getTime() };
}

function openKey(secrets: Secrets | undefined, { version, secret, sealed }: KeptTokenKey): Buffer {
  if (!sealed) return secret;
  const opened = secrets?.open(secret, purposeOf(version));
  if (!opened)
    throw new Error(
      `Signing key ${version} is encrypted, and ${secrets ? 'none of the keys in AVENDEL_SECRET_KEY opens it' : 'AVENDEL_SECRET_KEY is not set'}. Start with the key it was encrypted with.`,
    );
  return opened;
}
