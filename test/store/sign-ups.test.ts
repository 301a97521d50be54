import { afterAll, beforeAll, expect, test } from '@jest/globals';
import type { WrittenMessage } from '../../src/core/message/compile-message.ts';
import { confirm, findConfirmation, sendConfirmations } from '../../src/operations/consent/confirm.ts';
import { previewAct } from '../../src/operations/acts/act-on-contacts.ts';
import { unsubscribeByRequest } from '../../src/operations/consent/unsubscribe-by-request.ts';
import { signUp } from '../../src/operations/consent/sign-up.ts';
import { createList } from '../../src/operations/organisation/set-up.ts';
import { checkAddress } from '../../src/operations/contacts/explain-verdict.ts';
import { receiveReturns } from '../../src/operations/returns/receive-return.ts';
import { deliveryReport } from '../../src/simulator/reports.ts';
import { addEntries } from '../../src/operations/suppression/keep-entries.ts';
import { findSignUp, listSignUps } from '../../src/store/statements/sign-ups.ts';
import { makeDeps } from '../support/database.ts';
import { DAY, importText, makeSmallWorld, type SmallWorld } from '../support/world.ts';
import { ownSuppressionList } from '../support/parts.ts';
import { applyAct, undoRun } from '../support/runs.ts';

let deps: Awaited<ReturnType<typeof makeDeps>>;
let world: SmallWorld;
let listId: number;
const sent: WrittenMessage[] = [];
const relay = {
  connections: 1,
  handOver: (message: WrittenMessage) => {
    sent.push(message);
    return Promise.resolve({ outcome: 'accepted' as const, reply: '2.0.0' });
  },
};

beforeAll(async () => {
  deps = await makeDeps();
  world = await makeSmallWorld(deps, 2);
  listId = (await createList(deps, { brandId: world.brandId, name: 'Members', optIn: 'double' })).id;
});
afterAll(() => deps.close());

const ask = (address: string) =>
  signUp(deps, { listId, address, name: null, way: 'form', network: null, userAgent: null, agreed: '' });
const pass = (days: number): void => void (deps.clock.now = new Date(deps.clock.now.getTime() + days * DAY));

test('someone who never confirms is asked once, reminded twice and no more, and ends with nothing left of it', async () => {
  await ask('ida@quillmail.example');
  for (let day = 0; day <= 20; day++) {
    await sendConfirmations(deps, () => relay);
    await sendConfirmations(deps, () => relay);
    pass(1);
  }
  expect(sent.map((message) => message.subject)).toEqual([
    'Please confirm Members',
    'Still waiting: please confirm Members',
    'Still waiting: please confirm Members',
  ]);
  expect(new Set(sent.map((message) => message.messageId)).size).toBe(3);
  const [row] = await listSignUps(deps.database, { state: 'expired', listId: null }, 0, 10);
  expect(row).toMatchObject({ address: 'ida@quillmail.example', messages: 3 });
  expect(await deps.database.query('SELECT * FROM subscription WHERE list_id = $1', [listId])).toEqual([]);
  const journal: unknown = await deps.database.query(
    `SELECT before->>'state' AS before, after->>'state' AS after, cause->>'cause' AS cause FROM journal WHERE subject_id = $1 AND subject = 'subscription' ORDER BY id`,
    [listId],
  );
  expect(journal).toEqual([
    { before: null, after: 'pending', cause: null },
    { before: 'pending', after: null, cause: 'never confirmed' },
  ]);
  // The link of an ended sign-up confirms nobody.
  expect(await confirm(deps, (await findSignUp(deps.database, row!.id))!, null)).toBe(false);
});

test('signing up again while one waits is the same sign-up; two who confirm at once confirm once', async () => {
  sent.length = 0;
  await Promise.all([ask('noa@quillmail.example'), ask('noa@quillmail.example')]);
  await ask('noa@quillmail.example');
  await sendConfirmations(deps, () => relay);
  expect(sent).toHaveLength(1);
  const token = /\/confirm\/(\S+)/.exec(sent[0]!.text)![1]!;
  const one = (await findConfirmation(deps, token))!;
  const both = await Promise.all([confirm(deps, one, '203.0.113.4'), confirm(deps, one, '203.0.113.5')]);
  expect(both.sort()).toEqual([false, true]);
  const events: unknown = await deps.database.query(`SELECT count(*)::int AS n FROM event WHERE kind = 'confirmed'`);
  expect(events).toEqual([{ n: 1 }]);
});

test('a relay that is busy puts the message off and uses up no reminder; one that refuses ends it', async () => {
  await ask('uma@quillmail.example');
  await sendConfirmations(deps, () => ({
    connections: 1,
    handOver: () => Promise.resolve({ outcome: 'again', reply: '4.3.2', trouble: true }),
  }));
  const [waiting] = await listSignUps(deps.database, { state: 'pending', listId: null }, 0, 10);
  expect(waiting).toMatchObject({ address: 'uma@quillmail.example', messages: 0 });
  pass(1);
  await sendConfirmations(deps, () => ({
    connections: 1,
    handOver: () => Promise.resolve({ outcome: 'refused', reply: '5.1.1 no such user' }),
  }));
  expect(await findSignUp(deps.database, waiting!.id)).toMatchObject({
    state: 'turned-away',
    because: 'the relay refused it: 5.1.1 no such user',
  });
});

test('an entry that comes between sign-up and message stops the message', async () => {
  sent.length = 0;
  await ask('gil@quillmail.example');
  await sendConfirmations(deps, () => ({
    connections: 1,
    handOver: () => Promise.resolve({ outcome: 'again', reply: '4.7.1', trouble: false }),
  }));
  const [waiting] = await listSignUps(deps.database, { state: 'pending', listId }, 0, 10);
  const list = await ownSuppressionList(deps, 'Do not write', 'everything');
  const entries = { listId: list.id, reason: 'asked', expiresAt: null, actor: 'Rosa Lindgard' };
  await addEntries(deps, { ...entries, values: ['gil@quillmail.example'] });
  await ask('hal@quillmail.example');
  pass(1);
  await sendConfirmations(deps, () => relay);
  expect(sent.map((message) => message.to)).toEqual(['hal@quillmail.example']);
  expect(await findSignUp(deps.database, waiting!.id)).toMatchObject({
    address: 'gil@quillmail.example',
    state: 'turned-away',
    because: 'the address is held back: on a list kept by people, in its scope',
  });
});

test('a confirmation message that comes back marks its address and is not sent again; a busy mailbox is asked again', async () => {
  sent.length = 0;
  await ask('ivo@quillmail.example');
  await ask('jan@quillmail.example');
  await sendConfirmations(deps, () => relay);
  const back = async (to: string, status: string, reply: string): Promise<unknown> => {
    const message = sent.find((one) => one.to === to)!;
    const original = { envelopeFrom: message.envelopeFrom, to, headers: `Message-ID: ${message.messageId}` };
    return (
      await receiveReturns(deps, Buffer.from(deliveryReport(original, status, reply)), [message.envelopeFrom])
    )[0];
  };
  expect(await back('ivo@quillmail.example', '5.1.1', '550 5.1.1 no such user')).toMatchObject({ state: 'counted' });
  expect(await back('jan@quillmail.example', '5.2.2', '552 5.2.2 mailbox full')).toMatchObject({ state: 'counted' });
  expect((await checkAddress(deps, 'ivo@quillmail.example')).contact).toMatchObject({
    deliverability: 'undeliverable',
  });
  pass(4);
  sent.length = 0;
  await sendConfirmations(deps, () => relay);
  expect(sent.map((message) => message.to).filter((to) => /^(ivo|jan)@/.test(to))).toEqual(['jan@quillmail.example']);
});

test('who came by a file is asked by an act: once, with reminders and an end; undone, only who has not confirmed is let off', async () => {
  deps.clock.now = new Date();
  const letter = await createList(deps, { brandId: world.brandId, name: 'Letter', optIn: 'double' });
  const people = ['ada', 'ben', 'cy', 'dot', 'eve', 'fay'].map((name) => `${name}.file@quillmail.example`);
  await importText(deps, letter.id, ['address', ...people].join('\n'));
  deps.clock.now = new Date(Date.now() + 500);
  await unsubscribeByRequest(deps, { address: people[3]!, reason: 'by telephone', actor: 'Rosa Lindgard' });
  await deps.database.query(
    `UPDATE contact SET deliverability = 'undeliverable', deliverability_since = now() WHERE address = $1`,
    [people[4]],
  );
  const act = { act: 'ask' as const, listId: letter.id, addresses: [...people, world.addresses[0]!] };
  expect(await previewAct(deps, act)).toMatchObject({ willChange: 4, already: 3 });
  await expect(previewAct(deps, { act: 'ask', addresses: people })).rejects.toMatchObject({
    code: 'invalid-input',
    field: 'listId',
  });
  const run = await applyAct(deps, { ...act, expect: 4, reason: 'met at the summer fair', actor: 'Rosa Lindgard' });
  expect(run).toMatchObject({ kind: 'ask', counts: { asked: 4 } });
  expect(await previewAct(deps, act)).toMatchObject({ willChange: 0 });
  sent.length = 0;
  deps.clock.now = new Date(Date.now() + 1000);
  await sendConfirmations(deps, () => relay);
  expect(sent.map(({ to }) => to).sort()).toEqual([people[0], people[1], people[2], people[5]]);
  const token = /\/confirm\/(\S+)/.exec(sent.find(({ to }) => to === people[0])!.text)![1]!;
  expect(await confirm(deps, (await findConfirmation(deps, token))!, null)).toBe(true);
  const undone = await undoRun(deps, run.id, 'too early', 'Rosa Lindgard');
  expect(undone).toMatchObject({ restored: 3, leftAlone: 1, movedOn: [{ address: people[0], subject: 'asking' }] });
  const rows: unknown = await deps.database.query(
    `SELECT state, count(*)::int AS n FROM sign_up WHERE list_id = $1 GROUP BY 1 ORDER BY 1`,
    [letter.id],
  );
  expect(rows).toEqual([
    { state: 'confirmed', n: 1 },
    { state: 'turned-away', n: 3 },
  ]);
  const states = async (): Promise<unknown> =>
    deps.database.query(`SELECT state, count(*)::int AS n FROM subscription WHERE list_id = $1 GROUP BY 1 ORDER BY 1`, [
      letter.id,
    ]);
  expect(await states()).toEqual([
    { state: 'pending', n: 4 },
    { state: 'subscribed', n: 1 },
    { state: 'unsubscribed', n: 1 },
  ]);
  // They can be asked again; who is asked and never confirms is let go as anybody.
  await applyAct(deps, { ...act, expect: 3, reason: 'now it is time', actor: 'Rosa Lindgard' });
  deps.clock.now = new Date(Date.now() + 40 * DAY);
  await sendConfirmations(deps, () => relay);
  expect(await states()).toEqual([
    { state: 'pending', n: 1 },
    { state: 'subscribed', n: 1 },
    { state: 'unsubscribed', n: 1 },
  ]);
});

test('who signs up and then asks for no more is not reminded; who had left before and signs up again is asked', async () => {
  deps.clock.now = new Date('2026-12-01T09:00:00Z');
  sent.length = 0;
  await ask('una.leaves@quillmail.example');
  await sendConfirmations(deps, () => relay);
  pass(1);
  await unsubscribeByRequest(deps, {
    address: 'una.leaves@quillmail.example',
    reason: 'changed her mind',
    actor: 'Rosa Lindgard',
  });
  pass(9);
  await sendConfirmations(deps, () => relay);
  expect(sent).toHaveLength(1);
  const [ended] = await listSignUps(deps.database, { state: 'turned-away', listId }, 0, 100).then((rows) =>
    rows.filter(({ address }) => address.startsWith('una.leaves')),
  );
  expect(ended).toMatchObject({ because: 'they have left since', messages: 1 });
  await ask('una.leaves@quillmail.example');
  await sendConfirmations(deps, () => relay);
  expect(sent.map(({ to }) => to)).toEqual(['una.leaves@quillmail.example', 'una.leaves@quillmail.example']);
});

test('nobody is asked more than three times a day, whatever lists and sub-addresses are typed; the rest waits for the next day', async () => {
  pass(30);
  sent.length = 0;
  const lists = [listId];
  for (const name of ['Moon', 'Stars'])
    lists.push((await createList(deps, { brandId: world.brandId, name, optIn: 'double' })).id);
  for (const [index, tag] of ['', '+a', '+b'].entries())
    for (const list of lists) {
      pass(index === 0 ? 0 : 1 / 24);
      await signUp(deps, {
        listId: list,
        address: `kit${tag}@quillmail.example`,
        name: null,
        way: 'api',
        network: null,
        userAgent: null,
        agreed: '',
      });
    }
  const round = () => Promise.all([sendConfirmations(deps, () => relay), sendConfirmations(deps, () => relay)]);
  // A relay that takes none uses up nobody's day.
  for (let times = 0; times < 5; times++) {
    await sendConfirmations(deps, () => ({
      connections: 1,
      handOver: () => Promise.resolve({ outcome: 'again', reply: '4.3.2', trouble: true }),
    }));
    pass(1 / 96);
  }
  for (let times = 0; times < 6; times++) {
    await round();
    pass(1 / 24);
  }
  const toKit = () => sent.filter((message) => message.to.startsWith('kit'));
  expect(toKit()).toHaveLength(3);
  pass(1);
  await round();
  expect(toKit()).toHaveLength(6);
});

test('an address counts without its sub-address, a network of version 6 by its 64 bits, and a list as a whole', async () => {
  pass(1);
  const one = (address: string, network: string | null, list = listId) =>
    signUp(deps, { listId: list, address, name: null, way: 'form', network, userAgent: null, agreed: '' });
  for (let tag = 0; tag < 6; tag++) await one(`lea+${tag}@quillmail.example`, null);
  const kept: { n: number }[] = await deps.database.query(
    `SELECT count(*)::int AS n FROM sign_up WHERE address LIKE 'lea+%'`,
  );
  expect(kept).toEqual([{ n: 3 }]);
  for (let host = 1; host <= 30; host++)
    await one(`six${host}@quillmail.example`, `2001:db8:1:2::${host.toString(16)}`);
  await expect(one('six.more@quillmail.example', '2001:db8:1:2:ffff::1')).rejects.toThrow(
    /too many sign-ups from this network/,
  );
  await one('six.other@quillmail.example', '2001:db8:1:3::1');
  const flooded = (await createList(deps, { brandId: world.brandId, name: 'Flooded', optIn: 'double' })).id;
  await deps.database.query(
    `INSERT INTO tries_in_hour (key, hour, n) VALUES ($1, date_trunc('hour', $2::timestamptz), 5000)`,
    [`list ${flooded}`, deps.clock.now],
  );
  await expect(one('late@quillmail.example', null, flooded)).rejects.toThrow(/too many sign-ups for this list/);
  await one('late@quillmail.example', null);
});

test('what is typed as a name and is none goes into no message', async () => {
  pass(2);
  sent.length = 0;
  const typed = [
    'Win at www.prize.example',
    'https://prize.example',
    'prize.example',
    'Mo'.repeat(40),
    'ask@prize.example',
    'J. R. Olsen',
    'Ana',
  ];
  for (const [index, name] of typed.entries())
    await signUp(deps, {
      listId,
      address: `typed${index}@quillmail.example`,
      name,
      way: 'form',
      network: null,
      userAgent: null,
      agreed: '',
    });
  while ((await sendConfirmations(deps, () => relay)) > 0);
  const greetings = typed.map(
    (_, index) => sent.find((message) => message.to === `typed${index}@quillmail.example`)!.text.split('\n')[0],
  );
  expect(greetings).toEqual(['Hello,', 'Hello,', 'Hello,', 'Hello,', 'Hello,', 'Dear J.,', 'Dear Ana,']);
  expect(JSON.stringify(sent)).not.toMatch(/prize/);
});

test('the address a confirmation message is sent from confirms nobody: it is in every bounce and every log on the way', async () => {
  pass(2);
  sent.length = 0;
  await ask('mia@quillmail.example');
  while ((await sendConfirmations(deps, () => relay)) > 0);
  const message = sent.find((one) => one.to === 'mia@quillmail.example');
  for (const text of [message!.envelopeFrom, message!.messageId, JSON.stringify(message!.headers)])
    for (const token of text.match(/[a-z2-7]{39}/g) ?? []) expect(await findConfirmation(deps, token)).toBeUndefined();
  expect(message!.envelopeFrom).toMatch(/^k\.[a-z2-7]{39}@/);
  expect(await findConfirmation(deps, /\/confirm\/(\S+)/.exec(message!.text)![1]!)).toMatchObject({
    address: 'mia@quillmail.example',
  });
});
