import { X509Certificate } from 'node:crypto';
import { isLoopback } from '../../core/address/network-block.ts';
import { returnsToProblem } from '../../core/message/return-path.ts';
import { RELAY_FILLED, type NewRelay, type RelayChange, type RelaySettings } from '../../shared/contract/relay.ts';
import { inTransaction, violates } from '../../store/database.ts';
import { BrandEntity } from '../../store/entities/organisation.ts';
import {
  findRelay,
  holdRelay,
  insertRelay,
  keepRelays,
  listRelays,
  listRelaysOf,
  removeRelay,
  setRelaysOf,
  updateRelay,
  type RelayRow,
} from '../../store/statements/relays.ts';
import { keepReturnDomain } from '../../store/statements/returns.ts';
import type { Sql } from '../../store/sql.ts';
import type { Deps } from '../deps.ts';
import { assertVersion, found, Problem } from '../problem.ts';

/** Every relay that is kept, in the order they were added. */
export function lookAtRelays(deps: Deps): Promise<RelayRow[]> {
  return listRelays(deps.database.manager);
}

/** The relays through which a brand sends, in its order. @throws Problem not-found */
export async function lookAtRelaysOf(deps: Deps, brandId: number): Promise<RelayRow[]> {
  found(await deps.database.getRepository(BrandEntity).findOneBy({ id: brandId }), `brand ${brandId}`);
  return listRelaysOf(deps.database.manager, brandId);
}

/** Adds a relay; no brand sends through it yet. @throws Problem invalid-input, name-taken */
export async function addRelay(deps: Deps, given: NewRelay, actor: string): Promise<RelayRow> {
  const settings: RelaySettings = { ...RELAY_FILLED, ...given };
  assertUsable(settings);
  return unlessTaken(settings.name, () =>
    inTransaction(deps.database, async (sql) => {
      const id = await insertRelay(sql, settings, actor);
      await takeReturns(sql, settings);
      return (await findRelay(sql, id))!;
    }),
  );
}

/**
 * Changes a relay; what is on its way goes by it as it was. Returns still come to where they came to before.
 * @throws Problem invalid-input, name-taken, not-found, changed-meanwhile
 */
export async function changeRelay(
  deps: Deps,
  id: number,
  { version, ...change }: RelayChange,
  actor: string,
): Promise<RelayRow> {
  return unlessTaken(change.name, () =>
    inTransaction(deps.database, async (sql) => {
      const now = found(await holdRelay(sql, id), `relay ${id}`);
      assertVersion(version, `The relay “${now.name}”`, now);
      const settings = { ...now, ...change };
      assertUsable(settings);
      await updateRelay(sql, id, settings, actor);
      await takeReturns(sql, settings);
      return (await findRelay(sql, id))!;
    }),
  );
}

/** Removes a relay. @throws Problem not-found, wrong-state while a brand sends through it */
export async function forgetRelay(deps: Deps, id: number): Promise<void> {
  await inTransaction(deps.database, async (sql) => {
    const { name, brandIds } = found(await holdRelay(sql, id), `relay ${id}`);
    if (brandIds.length > 0)
      throw new Problem(
        'wrong-state',
        `${brandIds.length === 1 ? 'A brand sends' : `${brandIds.length} brands send`} through “${name}”. Take it from their order first.`,
      );
    await removeRelay(sql, id);
  });
}

/**
 * Says through which relays a brand sends, and in which order; none is the one of the settings.
 * @throws Problem not-found
 */
export async function sendThrough(deps: Deps, brandId: number, relayIds: number[]): Promise<RelayRow[]> {
  return inTransaction(deps.database, async (sql) => {
    const brand = await sql
      .getRepository(BrandEntity)
      .findOne({ where: { id: brandId }, lock: { mode: 'pessimistic_write' } });
    found(brand, `brand ${brandId}`);
    const kept = await keepRelays(sql, relayIds);
    const missing = relayIds.find((id) => !kept.includes(id));
    if (missing !== undefined) throw new Problem('not-found', `There is no relay ${missing}.`);
    await setRelaysOf(sql, brandId, relayIds);
    return listRelaysOf(sql, brandId);
  });
}

/** Mail for a domain that returns come to is taken by the intake; a mailbox is fetched from. */
async function takeReturns(sql: Sql, { returnsTo }: RelaySettings): Promise<void> {
  if (returnsTo !== null && !returnsTo.includes('@')) await keepReturnDomain(sql, returnsTo);
}

/** @throws Problem invalid-input */
function assertUsable(relay: RelaySettings): void {
  const refuse = (field: keyof RelaySettings, detail: string): never => {
    throw new Problem('invalid-input', detail, { field });
  };
  if (relay.security === 'none' && !isLoopback(relay.host))
    refuse(
      'security',
      `${relay.host} is not this machine: messages would go there in plain text. Use tls or starttls.`,
    );
  if (relay.passwordVariable !== null && relay.passwordFile !== null)
    refuse('passwordFile', 'The password is in a variable or in a file, not in both.');
  const hasPassword = relay.passwordVariable !== null || relay.passwordFile !== null;
  if (hasPassword !== (relay.account !== ''))
    refuse(
      hasPassword ? 'account' : 'passwordVariable',
      hasPassword
        ? 'There is a password and no account to sign in with.'
        : `Say where the password of ${relay.account} is: in an environment variable of the service, or in a file.`,
    );
  const wrongPath = relay.returnsTo === null ? undefined : returnsToProblem(relay.returnsTo);
  if (wrongPath) refuse('returnsTo', wrongPath);
  const wrong = relay.certificate === '' ? undefined : certificateProblem(relay.certificate);
  if (wrong) refuse('certificate', wrong);
}

const PEM = /-----BEGIN CERTIFICATE-----[\s\S]*?-----END CERTIFICATE-----/g;

/** What keeps a text from being certificates of authorities; nothing when they are. */
function certificateProblem(text: string): string | undefined {
  if (/PRIVATE KEY/.test(text)) return 'This holds a private key. Give the certificate of the authority alone.';
  const blocks = text.match(PEM) ?? [];
  if (blocks.length === 0 || text.replace(PEM, '').trim() !== '')
    return 'This is no certificate in PEM: it begins with “-----BEGIN CERTIFICATE-----”.';
  for (const [index, block] of blocks.entries())
    try {
      new X509Certificate(block);
    } catch {
      return `Certificate ${index + 1} cannot be read.`;
    }
  return undefined;
}

async function unlessTaken<T>(name: string | undefined, work: () => Promise<T>): Promise<T> {
  try {
    return await work();
  } catch (error) {
    if (violates(error, 'relay_name_key'))
      throw new Problem('name-taken', `There is a relay “${name}”.`, { field: 'name' });
    throw error;
  }
}
