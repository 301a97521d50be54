import type { StorableEvent } from '../../core/activity/event.ts';
import {
  DEFAULT_STORM_RULE,
  isDueForALook,
  isStorm,
  STORM_FRESH_MS,
  STORM_HOUR_MS,
  STORM_MESSAGES_MS,
  type StormRule,
} from '../../core/rules/storm.ts';
import { DAY_MS } from '../../core/rules/sunset-ladder.ts';
import { inRetriedTransaction, inTransaction } from '../../store/database.ts';
import type { Sql } from '../../store/sql.ts';
import { findRun, finishRun, insertRun, type RunRow } from '../../store/statements/journal.ts';
import { lockContacts } from '../../store/statements/marks.ts';
import { leaveRates } from '../../store/statements/noted.ts';
import { findSetting, saveSettingParts } from '../../store/statements/settings.ts';
import { findBounceRule } from '../../store/statements/rules.ts';
import {
  closeStorm,
  findDomainHour,
  findStorm,
  holdStorm,
  listStormContacts,
  listStorms,
  lockDomain,
  noteHardBounces,
  type StormRow,
  type StormState,
} from '../../store/statements/storms.ts';
import { callBackFromSends } from '../marks/call-back.ts';
import type { Deps } from '../deps.ts';
import { markDeliverability } from '../marks/mark-deliverability.ts';
import { assertExpected, found, Problem } from '../problem.ts';

/** So many storms are listed. */
const MOST_SHOWN = 100;
/** Contacts marked in one statement. */
const BATCH = 1000;

/**
 * Notes hard bounces under their domains and holds those of a domain that suddenly fails: they mark nobody until a
 * person releases them. Returns the contacts of bounces that came before the storm was seen, whose marks have to be
 * weighed anew.
 */
export async function holdStorms(deps: Deps, sql: Sql, events: StorableEvent[]): Promise<number[]> {
  const now = deps.now();
  const hard = events.filter(
    (event) => event.kind === 'bounced' && event.detail?.class === 'hard' && event.at > now.getTime() - STORM_FRESH_MS,
  );
  if (hard.length === 0) return [];
  const counts = await noteHardBounces(
    sql,
    hard.map((event) => ({ ...event, eventId: event.id })),
    STORM_HOUR_MS,
  );
  await leaveRates(sql, { eventIds: hard.map(({ id }) => id) });
  const rule = await findStormRule(sql);
  const concerned: number[] = [];
  for (const { domain, hard: outside, at } of counts) {
    if (!isDueForALook(rule, outside, await knownMessages(deps, domain))) continue;
    await lockDomain(sql, domain);
    const hour = await findDomainHour(sql, domain, at, {
      hourMs: STORM_HOUR_MS,
      messagesMs: STORM_MESSAGES_MS,
      beforeMs: rule.days * DAY_MS,
    });
    const messages = hour.acceptedBefore ? hour.messages : Infinity;
    deps.remembered.set(`storm ${domain}`, { until: now.getTime() + KNOWN_MS, value: Promise.resolve(messages) });
    if (isStorm(rule, hour))
      concerned.push(...(await holdStorm(sql, { domain, at, messages: hour.messages }, STORM_HOUR_MS)));
  }
  return concerned;
}

/** When a domain's hard bounces are held. */
export async function findStormRule(sql: Sql): Promise<StormRule> {
  return { ...DEFAULT_STORM_RULE, ...(await findSetting<StormRule>(sql, RULE)) };
}

/** Changes the parts of the storm rule that are named, and answers all of it. */
export async function saveStormRule(deps: Deps, change: Partial<StormRule>, actor: string): Promise<StormRule> {
  await saveSettingParts(deps.database, RULE, change, actor);
  return findStormRule(deps.database);
}

const RULE = 'storm rule';

/** How long a count of a domain's messages serves. */
const KNOWN_MS = 600_000;

/** Messages of a domain's hour when they were last counted; none if that is long ago. */
async function knownMessages(deps: Deps, domain: string): Promise<number> {
  const known = deps.remembered.get(`storm ${domain}`);
  return known && known.until > deps.now().getTime() ? Number(await known.value) : 0;
}

/** The latest storms, in one state or in any. */
export function listLatestStorms(deps: Deps, state: StormState | undefined): Promise<StormRow[]> {
  return listStorms(deps.database, state ?? null, MOST_SHOWN);
}

/** One storm with a sample of those it is about. @throws Problem not-found */
export async function getStorm(
  deps: Deps,
  id: number,
): Promise<StormRow & { sample: Awaited<ReturnType<typeof listStormContacts>> }> {
  const storm = found(await findStorm(deps.database, id), `storm ${id}`);
  return { ...storm, sample: await listStormContacts(deps.database, id, 0, SAMPLE) };
}

const SAMPLE = 20;

/**
 * The addresses are dead: the bounces count after all, as one run.
 * @throws Problem count-moved, wrong-state, not-found
 */
export async function releaseStorm(
  deps: Deps,
  id: number,
  request: { expect: number; reason: string; actor: string },
): Promise<RunRow> {
  const storm = await getHeld(deps, id);
  assertExpected(request.expect, storm.contacts);
  const runId = await inTransaction(deps.database, async (sql) => {
    const run = await insertRun(sql, {
      kind: 'storm release',
      brandId: null,
      actor: request.actor,
      reason: request.reason,
    });
    if (!(await closeStorm(sql, id, { state: 'released', by: request.actor, reason: request.reason, runId: run })))
      throw decided(id);
    const rule = await findBounceRule(sql);
    let undeliverable = 0;
    for (let after = 0; ;) {
      const contacts = (await listStormContacts(sql, id, after, BATCH)).map((contact) => contact.id);
      if (contacts.length === 0) break;
      await lockContacts(sql, contacts);
      const act = { actorKind: 'person' as const, actor: request.actor, runId: run };
      undeliverable += (await markDeliverability(sql, contacts, rule, deps.now(), act)).undeliverable;
      after = contacts.at(-1)!;
    }
    await finishRun(sql, run, { undeliverable });
    return run;
  });
  await callBackFromSends(deps, 'all');
  return found(await findRun(deps.database, runId), `run ${runId}`);
}

/**
 * It was an outage: the bounces stay on record, count against nobody, and leave the rates.
 * @throws Problem wrong-state, not-found
 */
export async function dismissStorm(deps: Deps, id: number, request: { reason: string; actor: string }): Promise<void> {
  await getHeld(deps, id);
  const decision = { state: 'dismissed' as const, by: request.actor, reason: request.reason, runId: null };
  await inRetriedTransaction(deps.database, async (sql) => {
    if (!(await closeStorm(sql, id, decision))) throw decided(id);
    await leaveRates(sql, { stormId: id });
  });
}

async function getHeld(deps: Deps, id: number): Promise<StormRow> {
  const storm = found(await findStorm(deps.database, id), `storm ${id}`);
  if (storm.state !== 'held') throw decided(id);
  return storm;
}

function decided(id: number): Problem {
  return new Problem('wrong-state', `Storm ${id} has been decided already.`);
}
