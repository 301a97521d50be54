import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { simpleParser } from 'mailparser';
import pg from 'pg';
import { mayEnd, STANDINGS, WAYS, type Answer, type Standing, type Way } from '../../src/core/consent/consent-table.ts';
import type { ActSelection } from '../../src/shared/contract/acts.ts';
import type { SunsetRule } from '../../src/shared/contract/rules.ts';
import type { List } from '../../src/shared/contract/organisation.ts';
import type { Run } from '../../src/shared/contract/runs.ts';
import { makeCampaign, makeList, startRealService, until, type Running } from '../support/service.ts';
import { startSink } from '../support/sink.ts';

/*
 * Every cell of the table of consent, through the doors that people, staff and programs use: somebody is brought to
 * where the row says, and what the column says is tried on them. What the table says must come of it.
 */

let service: Running;
let sink: Awaited<ReturnType<typeof startSink>>;
let database: pg.Client;
let digest: List;
let members: List;
let evenings: List;
let ownListId: number;
let ladder: SunsetRule;
/** The run that brought somebody to where they stand, by their address. */
const runs = new Map<string, number>();

const addressOf = (standing: Standing, way: Way): string => `${standing}.${way}@quillmail.example`;
const everybody = STANDINGS.flatMap((standing) => WAYS.map((way) => addressOf(standing, way)));
const ofRow = (standing: Standing): string[] => WAYS.map((way) => addressOf(standing, way));

/**
 * Cells that no door reaches: no rule takes anybody off yet that an engagement could give back, and whom people call a
 * machine no rule clears.
 */
const UNREACHED: ReadonlySet<string> = new Set(['taken-off-by-rule engagement', 'automated rule']);
/** Rows whose people nobody may write to, so that a confirmation they could press must have come before. */
const STOPS_CONFIRMATIONS = STANDINGS.filter((standing) => mayEnd(standing, 'form') === 'not');

/** The list that somebody tries to get. */
function targetOf(standing: Standing, way: Way): List {
  if (standing === 'pending') return members;
  if (standing === 'never') return way === 'confirmation' ? members : evenings;
  return way === 'confirmation' && STOPS_CONFIRMATIONS.includes(standing) ? members : digest;
}

const check = (address: string) => service.client.check({ address });
const stateOn = async (address: string, list: List) =>
  (await check(address)).subscriptions.find((row) => row.listId === list.id)?.state ?? null;
const entriesOf = async (address: string) => (await check(address)).entries.filter(({ liftedAt }) => liftedAt === null);
const form = (url: string, fields: [string, string][]): Promise<Response> =>
  fetch(url, { method: 'POST', body: new URLSearchParams(fields) });
const messagesTo = (address: string) => sink.received.filter(({ to }) => to === address);

let said = 0;
const tell = async (kind: string, addresses: string[], more: object = {}, at = new Date()): Promise<void> => {
  const lines = addresses.map((address) =>
    JSON.stringify({
      kind,
      at: at.toISOString(),
      address,
      brandId: digest.brandId,
      source: 'shop',
      externalId: `${++said}`,
      ...more,
    }),
  );
  expect(await service.client.recordEvents({ file: lines.join('\n') })).toMatchObject({
    recorded: addresses.length,
    refused: [],
  });
};
async function ended(run: Run): Promise<Run> {
  await until(async () => (await service.client.run({ id: run.id })).finishedAt !== null);
  return service.client.run({ id: run.id });
}
async function act(selection: ActSelection): Promise<number> {
  const { willChange, stillMailable } = await service.client.previewAct(selection);
  const expected = { expect: willChange, expectMailable: stillMailable.contacts };
  return (await ended(await service.client.applyAct({ ...selection, ...expected, reason: 'a test' }))).id;
}
const actOnEach = async (addresses: string[], selection: ActSelection): Promise<void> => {
  for (const address of addresses) runs.set(address, await act({ ...selection, addresses: [address] }));
};

async function confirmLink(address: string): Promise<string> {
  const found = async (): Promise<string | undefined> => {
    const latest = messagesTo(address).findLast(({ from }) => from.startsWith('k.'));
    return latest && /https?:\/\/\S+\/confirm\/\S+/.exec((await simpleParser(latest.raw)).text!)?.[0];
  };
  await until(async () => (await found()) !== undefined);
  return (await found())!;
}
const wayOutOf = (address: string): string => {
  const raw = messagesTo(address).find(({ raw }) => raw.includes('List-Unsubscribe'))!.raw;
  return /<(http[^>]+\/out\/[^>]+)>/.exec(raw.replace(/\r\n /g, ' '))![1]!;
};
const linkOf = (address: string): string =>
  /href="(http[^"]+\/to\/[^"]+)"/.exec(messagesTo(address)[0]!.raw.replace(/=\r\n/g, '').replace(/=3D/g, '='))![1]!;

async function applyLadder(rule: SunsetRule): Promise<Run> {
  const { moving } = await service.client.previewSunset({ brandId: digest.brandId, rule });
  return ended(await service.client.applySunset({ brandId: digest.brandId, expect: moving, reason: 'a test', rule }));
}

/** How everybody of a row comes to stand there. */
const BRING: Record<Standing, (addresses: string[]) => Promise<unknown>> = {
  erasure: (addresses) => actOnEach(addresses, { act: 'erase' }),
  complaint: (addresses) => tell('complained', addresses),
  'opt-out': async (addresses) => {
    for (const address of addresses) await form(wayOutOf(address), [['from', 'everything']]);
  },
  left: async (addresses) => {
    for (const address of addresses) await form(wayOutOf(address), [['List-Unsubscribe', 'One-Click']]);
  },
  'taken-off-by-staff': (addresses) => actOnEach(addresses, { act: 'unsubscribe', brandId: digest.brandId }),
  async 'taken-off-by-rule'(addresses) {
    await actOnEach(addresses, { act: 'unsubscribe', brandId: digest.brandId });
    const ids = 'SELECT id FROM contact WHERE address = ANY($1)';
    await database.query(
      `UPDATE subscription SET ended_by = 'rule' WHERE contact_id IN (${ids}) AND state = 'unsubscribed'`,
      [addresses],
    );
    await database.query(`UPDATE suppression_entry SET ended_by = 'rule' WHERE value = ANY($1)`, [addresses]);
  },
  // By a storm that is held and released, since what a bounce marks by itself has no run.
  async undeliverable(addresses) {
    await service.client.saveStormRule({ least: 5, share: 0.01, days: 365 });
    await tell('bounced', addresses, { class: 'hard', status: '5.1.1' });
    const [storm] = await service.client.storms({ state: 'held' });
    if (!storm) return;
    const run = await ended(
      await service.client.releaseStorm({ id: storm.id, expect: storm.contacts, reason: 'dead' }),
    );
    for (const address of addresses) runs.set(address, run.id);
  },
  invalid: (addresses) => verify(addresses, 'no-address'),
  'spam-trap': (addresses) => verify(addresses, 'trap'),
  async sunset(addresses) {
    const run = await applyLadder(ladder);
    for (const address of addresses) runs.set(address, run.id);
  },
  async automated(addresses) {
    const { toMark, toClear } = await service.client.previewAutomated({ rule: { stops: true } });
    await ended(
      await service.client.applyAutomated({ expect: toMark + toClear, reason: 'a test', rule: { stops: true } }),
    );
    for (const address of addresses)
      runs.set(
        address,
        (await service.client.judgeAutomated({ addresses: [address], as: 'machine', reason: 'a test' })).id,
      );
  },
  kept: (addresses) => actOnEach(addresses, { act: 'suppress', suppressionListId: ownListId }),
  archived: (addresses) => actOnEach(addresses, { act: 'archive' }),
  async pending(addresses) {
    for (const address of addresses) await service.client.signUp({ listId: members.id, address });
  },
  never: () => Promise.resolve(),
};

async function verify(addresses: string[], verdict: 'no-address' | 'trap'): Promise<void> {
  await service.client.saveVerdictActs({ [verdict]: 'suppress' });
  for (const address of addresses) {
    const { id } = await service.client.verify({
      name: address,
      source: verdict,
      file: `email,result\n${address},${verdict}`,
    });
    await service.client.mapWords({ id, words: { [verdict]: verdict } });
    const { willChange } = await service.client.verification({ id });
    runs.set(
      address,
      (await ended(await service.client.applyVerification({ id, expect: willChange, reason: 'a test' }))).id,
    );
  }
}

const BUILT_IN: Partial<Record<Standing, string | null>> = {
  erasure: 'erasure',
  complaint: 'complaint',
  'opt-out': 'opt-out',
  invalid: 'invalid',
  'spam-trap': 'spam-trap',
  sunset: 'sunset',
  automated: 'automated',
  kept: null,
};

/** Whether somebody still stands where the row says. */
async function stands(standing: Standing, way: Way): Promise<boolean> {
  const address = addressOf(standing, way);
  if (standing in BUILT_IN) return (await entriesOf(address)).some(({ builtIn }) => builtIn === BUILT_IN[standing]);
  if (standing === 'undeliverable') return (await check(address)).contact?.deliverability === 'undeliverable';
  if (standing === 'archived') return (await check(address)).contact?.archivedAt !== null;
  const state = await stateOn(address, targetOf(standing, way));
  if (standing === 'pending') return state === 'pending';
  return standing === 'never' ? state === null || state === 'pending' : state === 'unsubscribed';
}

/** What each column does. Staff who are refused are answered with a problem, and nothing changes. */
const TRY: Record<Way, (address: string, standing: Standing) => Promise<unknown>> = {
  form: (address, standing) => service.client.signUp({ listId: targetOf(standing, 'form').id, address }),
  preferences: (address) =>
    form(wayOutOf(address).replace('/out/', '/choose/'), [
      ['act', 'choose'],
      ...[digest, members, evenings].map(({ id }) => ['list', String(id)] as [string, string]),
    ]),
  async confirmation(address, standing) {
    if (!STOPS_CONFIRMATIONS.includes(standing))
      await service.client.signUp({ listId: targetOf(standing, 'confirmation').id, address });
    await form(await confirmLink(address), []);
  },
  elsewhere: (address, standing) =>
    tell('subscribed', [address], { lists: [targetOf(standing, 'elsewhere').id] }).catch(isErased(standing)),
  async engagement(address, standing) {
    await fetch(linkOf(address), { redirect: 'manual', headers: { 'user-agent': 'Mail' } });
    await tell('purchased', [address]).catch(isErased(standing));
  },
  async staff(address, standing) {
    const refused = (): undefined => undefined;
    const entries = (await entriesOf(address)).map(({ id }) => id);
    if (standing === 'automated')
      return service.client.judgeAutomated({ addresses: [address], as: 'person', reason: 'a test' });
    if (entries.length > 0) await service.client.lift({ entryIds: entries, reason: 'a test' }).catch(refused);
    if (standing === 'archived') await act({ act: 'restore', addresses: [address] });
    await act({ act: 'subscribe', listId: targetOf(standing, 'staff').id, addresses: [address] }).catch(refused);
  },
  async import(address, standing) {
    const { id } = await service.client.importFile({
      listId: targetOf(standing, 'import').id,
      fileName: `${standing}.csv`,
      file: `address\n${address}`,
    });
    await until(async () => (await service.client.import({ id })).state === 'finished');
  },
  async rule(address, standing) {
    if (standing === 'undeliverable') return tell('delivered', [address]);
    // All stages later: whoever stood at sunset does not any more.
    if (standing === 'sunset')
      await applyLadder({ ...ladder, steps: ladder.steps.map((step) => ({ ...step, days: step.days * 10 })) });
    else await applyLadder(ladder);
    const { toUndeliverable, toDeliverable } = await service.client.previewBounce();
    await ended(await service.client.applyBounce({ expect: toUndeliverable + toDeliverable, reason: 'a test' }));
  },
  async undo(address, standing) {
    // The rule, tried before, has moved the whole row.
    if (standing === 'sunset') {
      await BRING.sunset([address]);
      expect(await stands('sunset', 'undo')).toBe(true);
    }
    const run = runs.get(address) ?? (await act({ act: 'unsubscribe', brandId: digest.brandId, addresses: [address] }));
    const undone = await service.client.undoRun({ id: run, reason: 'a test' }).catch(() => undefined);
    if (undone) await ended(undone);
  },
};

/** No event can be told of an erased person: there is no contact any more. */
function isErased(standing: Standing): (error: unknown) => void {
  return (error) => {
    if (standing !== 'erasure') throw error;
  };
}

async function whatComes(standing: Standing, way: Way): Promise<Answer> {
  const address = addressOf(standing, way);
  await TRY[way](address, standing);
  if (!(await stands(standing, way))) return 'may';
  if (way !== 'form' && way !== 'preferences') return 'not';
  const { contact } = await check(address);
  const asked = contact ? await service.client.contactSignUps({ id: contact.id }) : [];
  return asked.some((one) => one.state === 'pending' && one.listId === targetOf(standing, way).id) ? 'confirm' : 'not';
}

beforeAll(async () => {
  service = await startRealService();
  sink = await startSink(service.relayPort);
  database = new pg.Client({ connectionString: service.databaseUrl });
  await database.connect();
  digest = await makeList(service.client, everybody);
  members = await service.client.createList({ brandId: digest.brandId, name: 'Members’ Letter', optIn: 'double' });
  evenings = await service.client.createList({ brandId: digest.brandId, name: 'Open Evenings' });
  ladder = (await service.client.sunsetRule({ brandId: digest.brandId })).rule;
  ownListId = (await service.client.createSuppressionList({ name: 'Do not write' })).id;
  const id = await makeCampaign(service.client, digest, 'The sky');
  await service.client.startCampaign({ id, expect: everybody.length });
  await until(() => sink.received.length === everybody.length);
  // Somebody at sunset was written to a dozen times and more, and answered nothing.
  for (let week = 1; week <= 14; week++) {
    const at = new Date(Date.now() - week * 14 * 86_400_000);
    const past = await service.client.recordCampaign({
      brandId: digest.brandId,
      name: `Digest ${week}`,
      subject: 's',
      listIds: [digest.id],
      startedAt: at.toISOString(),
    });
    await tell('sent', ofRow('sunset'), { campaignId: past.id }, at);
  }
  for (const standing of STOPS_CONFIRMATIONS) {
    await service.client.signUp({ listId: members.id, address: addressOf(standing, 'confirmation') });
    await confirmLink(addressOf(standing, 'confirmation'));
  }
  for (const standing of STANDINGS) await BRING[standing](ofRow(standing));
});
afterAll(async () => {
  await database.end();
  await service.stop();
  await sink.close();
});

describe.each(STANDINGS.map((standing) => ({ standing })))('$standing', ({ standing }) => {
  test('stands for everybody of its row to begin with', async () => {
    for (const way of WAYS) expect([way, await stands(standing, way)]).toEqual([way, true]);
  });

  // What concerns a whole row comes last in it.
  test.each(WAYS.filter((way) => !UNREACHED.has(`${standing} ${way}`)).map((way) => ({ way })))(
    '$way',
    async ({ way }) => {
      expect(await whatComes(standing, way)).toBe(mayEnd(standing, way));
    },
  );
});
