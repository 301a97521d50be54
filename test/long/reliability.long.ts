import { spawn, type ChildProcess } from 'node:child_process';
import { mkdirSync, writeFileSync } from 'node:fs';
import { afterAll, beforeAll, expect, test } from '@jest/globals';
import nodemailer from 'nodemailer';
import pg from 'pg';
import { makeClient, type Client } from '../../src/client/client.ts';
import { Refusal } from '../../src/client/send.ts';
import type { Brand, List } from '../../src/shared/contract/organisation.ts';
import { complaintReport, deliveryReport, unsubscribeLetter } from '../../src/simulator/reports.ts';
import { makeDatabase } from '../support/database.ts';
import { EMAIL, freePort, PASSWORD, until } from '../support/service.ts';
import { startSink, type Received } from '../support/sink.ts';

/*
 * Ten minutes in which two processes do everything at once, and are killed and cut off from the database in between.
 * What was acknowledged is kept here beside them, and held against what they have done at the end. Not part of `npm
 * test`: scripts/reliability.sh runs it. AVENDEL_SEED says which order of acts, AVENDEL_MINUTES for how long.
 */

const SEED = Number(process.env['AVENDEL_SEED'] ?? 20_261_129);
const MINUTES = Number(process.env['AVENDEL_MINUTES'] ?? 10);
const CONTACTS = 4000;

/** Numbers that look random and are the same each time (Park and Miller, 1988). */
function makeRandom(seed: number): (below: number) => number {
  let state = (seed % 2_147_483_646) + 1;
  return (below) => (state = (state * 48_271) % 2_147_483_647) % below;
}

interface ServiceProcess {
  client: Client;
  console: string;
  public: string;
  intakePort: number;
  child: ChildProcess | undefined;
  environment: NodeJS.ProcessEnv;
}

/** What somebody said, and was told that it is so: of a brand (`lists` null) or of some lists. */
interface Said {
  brandId: number | null;
  lists: number[] | null;
  at: number;
  way: string;
}

let databaseUrl: string;
let drop: () => Promise<void>;
let database: pg.Client;
let sink: Awaited<ReturnType<typeof startSink>>;
let processes: ServiceProcess[];
let brands: Brand[];
let lists: List[];
let ownListId: number;
const campaigns = new Map<string, { id: number; brandId: number; listIds: number[] }>();
const said = new Map<string, Said[]>();
const erased = new Map<string, number>();
const done: Record<string, number> = {};
const count = (what: string): void => void (done[what] = (done[what] ?? 0) + 1);
let ending = false;

beforeAll(async () => {
  ({ url: databaseUrl, drop } = await makeDatabase());
  const relayPort = await freePort();
  sink = await startSink(relayPort, { delayMs: 4 });
  processes = [];
  const publicPort = await freePort();
  for (let index = 0; index < 2; index++) {
    const [consolePort, intakePort] = [await freePort(), await freePort()];
    const own = index === 0 ? publicPort : await freePort();
    const environment = {
      PATH: process.env['PATH'],
      AVENDEL_DATABASE_URL: databaseUrl,
      AVENDEL_CONSOLE_PORT: String(consolePort),
      AVENDEL_PUBLIC_PORT: String(own),
      AVENDEL_INTAKE_PORT: String(intakePort),
      AVENDEL_PUBLIC_URL: `http://127.0.0.1:${publicPort}`,
      AVENDEL_RELAY_URL: `smtp://127.0.0.1:${relayPort}`,
      AVENDEL_ADMIN_EMAIL: EMAIL,
      AVENDEL_ADMIN_PASSWORD: PASSWORD,
      AVENDEL_LOG_LEVEL: 'silent',
      AVENDEL_RETRY_SECONDS: '0.5',
    };
    processes.push({
      client: undefined as never,
      console: `http://127.0.0.1:${consolePort}`,
      public: `http://127.0.0.1:${own}`,
      intakePort,
      child: undefined,
      environment,
    });
  }
  for (const one of processes) await start(one);
  const { token } = await makeClient({ base: processes[0]!.console }).createToken({
    email: EMAIL,
    password: PASSWORD,
    name: 'reliability',
    scope: 'administer',
  });
  for (const one of processes) one.client = makeClient({ base: one.console, token });
  database = new pg.Client({ connectionString: databaseUrl });
  await database.connect();
  const [first] = processes;
  brands = [
    await first!.client.createBrand({
      name: 'Larkfield Observatory',
      fromAddress: 'digest@larkfield.example',
      returnDomain: 'returns.larkfield.example',
    }),
    await first!.client.createBrand({
      name: 'Larkfield Shop',
      fromAddress: 'shop@shop.larkfield.example',
      returnDomain: 'returns.shop.larkfield.example',
    }),
  ];
  lists = [];
  for (const brand of brands)
    for (const name of ['Night Digest', 'Members’ Letter'])
      lists.push(await first!.client.createList({ brandId: brand.id, name }));
  ownListId = (await first!.client.createSuppressionList({ name: 'Do not write', reach: 'everything' })).id;
  for (const list of lists)
    await importRows(
      first!,
      list,
      Array.from({ length: CONTACTS }, (_, index) => addressOf(index)),
    );
});
afterAll(async () => {
  for (const { child } of processes) child?.kill('SIGKILL');
  await database.end();
  await sink.close();
  await drop();
});

const addressOf = (index: number): string =>
  `reader${index}${index % 9 === 0 ? '+moon' : ''}@${['lanternpost', 'quillmail', 'hearthmail'][index % 3]}.example`;

async function start(one: ServiceProcess): Promise<void> {
  one.child = spawn(process.execPath, ['dist/service/main.js'], {
    env: one.environment,
    stdio: ['ignore', 'ignore', 'inherit'],
  });
  await until(async () => (await fetch(`${one.console}/readyz`)).ok);
}

async function importRows(one: ServiceProcess, list: List, addresses: string[]): Promise<number | null> {
  const { id } = await one.client.importFile({
    listId: list.id,
    fileName: 'people.csv',
    file: ['address,joined', ...addresses.map((address) => `${address},2026-01-01`)].join('\n'),
  });
  await until(async () => ['finished', 'failed'].includes((await one.client.import({ id })).state) || ending);
  return (await one.client.import({ id })).runId;
}

/** A message with what it was of. */
interface Message extends Received {
  campaign: { id: number; brandId: number; listIds: number[] };
}
function readMessage(received: Received): Message | undefined {
  const name = /^Subject: (Campaign \d+)\r$/m.exec(received.raw)?.[1];
  const campaign = name === undefined ? undefined : campaigns.get(name);
  return campaign && { ...received, campaign };
}
const wayOutOf = ({ raw }: Received): string => /<(http[^>]+\/out\/[^>]+)>/.exec(raw.replace(/\r\n\s+/g, ' '))![1]!;
const mailboxOf = ({ raw }: Received): string =>
  /mailto:(u\.[a-z2-7]{39}@[a-z.]+)/.exec(raw.replace(/\r\n\s+/g, ''))![1]!;

function says(address: string, one: Omit<Said, 'at'>): void {
  said.set(address, [...(said.get(address) ?? []), { ...one, at: Date.now() }]);
}

/**
 * Somebody comes back to a list: what they said of it before holds no more, neither do wider words of its brand. An
 * opt-out has ended their other lists, a complaint only stands in the way until they confirm something afresh
 * (docs/consent.md).
 */
function cameBack(address: string, list: List): void {
  const rest = (said.get(address) ?? []).flatMap((one): Said[] => {
    if (one.brandId !== list.brandId) return [one];
    if (one.way === 'complaint') return [];
    if (one.lists === null)
      return one.way === 'an entry'
        ? [one]
        : [
            {
              ...one,
              lists: lists.filter(({ brandId, id }) => brandId === list.brandId && id !== list.id).map(({ id }) => id),
            },
          ];
    return [{ ...one, lists: one.lists.filter((id) => id !== list.id) }];
  });
  said.set(
    address,
    rest.filter((one) => one.lists === null || one.lists.length > 0),
  );
}

async function mail(port: number, to: string, raw: string): Promise<void> {
  const transport = nodemailer.createTransport({ host: '127.0.0.1', port, ignoreTLS: true, connectionTimeout: 3000 });
  try {
    await transport.sendMail({ envelope: { from: '', to }, raw });
  } finally {
    transport.close();
  }
}

type Act = (one: ServiceProcess, random: (below: number) => number) => Promise<void>;
const pick = <T>(random: (below: number) => number, all: readonly T[]): T => all[random(all.length)]!;
/** One of the last messages that were sent, with what it was of. */
const someMessage = (random: (below: number) => number): Message | undefined => {
  const recent = sink.received.length - 1 - random(Math.min(3000, sink.received.length || 1));
  return sink.received[recent] && readMessage(sink.received[recent]);
};
let campaignNumber = 0;

const LEAVE: Record<string, (one: ServiceProcess, message: Message) => Promise<unknown>> = {
  'one click': (one, message) =>
    ok(
      fetch(at(one, wayOutOf(message)), {
        method: 'POST',
        body: new URLSearchParams({ 'List-Unsubscribe': 'One-Click' }),
      }),
    ),
  page: (one, message) =>
    ok(fetch(at(one, wayOutOf(message)), { method: 'POST', body: new URLSearchParams({ from: 'lists' }) })),
  mail: (one, message) => mail(one.intakePort, mailboxOf(message), unsubscribeLetter(message.to, mailboxOf(message))),
  http: (one, message) => one.client.receiveReturn({ file: unsubscribeLetter(message.to, mailboxOf(message)) }),
};
const LEAVE_ALL: Record<string, (one: ServiceProcess, message: Message) => Promise<unknown>> = {
  'preference page': (one, message) =>
    ok(
      fetch(at(one, wayOutOf(message).replace('/out/', '/choose/')), {
        method: 'POST',
        body: new URLSearchParams({ act: 'everything' }),
      }),
    ),
  'staff were asked': (one, message) =>
    one.client.unsubscribeContact({ address: message.to, reason: 'by telephone', brandId: message.campaign.brandId }),
  complaint: (one, message) =>
    mail(
      one.intakePort,
      message.from,
      complaintReport({
        envelopeFrom: message.from,
        to: message.to,
        headers: message.raw.slice(0, message.raw.indexOf('\r\n\r\n')),
      }),
    ),
};
/** The same path at this process's public port. */
const at = (one: ServiceProcess, url: string): string => one.public + new URL(url).pathname;
async function ok(answer: Promise<Response>): Promise<void> {
  const { status } = await answer;
  if (status !== 200) throw new Error(`HTTP ${status}`);
}

const ACTS: Record<string, Act> = {
  async send(one, random) {
    const list = pick(random, lists);
    const name = `Campaign ${++campaignNumber}`;
    const html = '<p><a href="https://larkfield.example/sky">the sky</a></p>';
    const { id } = await one.client.createCampaign({
      brandId: list.brandId,
      name,
      subject: name,
      html,
      listIds: [list.id],
    });
    campaigns.set(name, { id, brandId: list.brandId, listIds: [list.id] });
    const { willGet, version } = await one.client.preflight({ id });
    await one.client.startCampaign({ id, expect: willGet, version });
  },
  async 'pause and go on'(one) {
    const [sending] = (await one.client.campaigns({ state: 'sending' })).items;
    if (!sending) return;
    await one.client.pauseCampaign({ id: sending.id, reason: 'a test' });
    await one.client.resumeCampaign({ id: sending.id });
  },
  async leave(one, random) {
    const message = someMessage(random);
    if (!message) return;
    const way = pick(random, Object.keys(LEAVE));
    await LEAVE[way]!(one, message);
    says(message.to, { brandId: message.campaign.brandId, lists: message.campaign.listIds, way });
  },
  async 'leave everything'(one, random) {
    const message = someMessage(random);
    if (!message) return;
    const way = pick(random, Object.keys(LEAVE_ALL));
    await LEAVE_ALL[way]!(one, message);
    says(message.to, { brandId: message.campaign.brandId, lists: null, way });
  },
  async 'enter an address, its base or its hash'(one, random) {
    const address = addressOf(random(CONTACTS));
    const { onTheirWay } = await one.client.addEntries({
      id: ownListId,
      values: [random(2) === 0 ? address : address.replace('+moon', '')],
      reason: 'asked',
      expiresAt: null,
    });
    count(onTheirWay > 0 ? 'announced as on their way' : 'entered');
    if (onTheirWay === 0) says(address, { brandId: null, lists: null, way: 'an entry' });
  },
  async 'come back'(one, random) {
    const [address, list] = [addressOf(random(CONTACTS)), pick(random, lists)];
    await one.client.signUp({ listId: list.id, address });
    const asks = (): Received | undefined =>
      sink.received.findLast(({ to, from }) => to === address && from.startsWith('k.'));
    for (let looks = 0; looks < 20 && !asks(); looks++) await pause(100);
    const link = asks() && /https?:\/\/\S+\/confirm\/[a-z2-7]{39}/.exec(asks()!.raw.replace(/=\r\n/g, ''))?.[0];
    // Whether it is pressed in time or not: from here on they may have come back.
    cameBack(address, list);
    if (link) await ok(fetch(at(one, link), { method: 'POST' }));
  },
  async 'read and click'(one, random) {
    const message = someMessage(random);
    const link =
      message && /href="(http[^"]+\/to\/[^"]+)"/.exec(message.raw.replace(/=\r\n/g, '').replace(/=3D/g, '='))?.[1];
    if (link) await fetch(at(one, link), { redirect: 'manual', headers: { 'user-agent': 'Mail' } });
  },
  async bounce(one, random) {
    const message = someMessage(random);
    if (!message) return;
    const [status, reply] = pick(random, [
      ['5.1.1', '550 5.1.1 no such user'],
      ['5.2.2', '552 5.2.2 mailbox full'],
      ['5.7.1', '550 5.7.1 blocked'],
    ] as const);
    await mail(
      one.intakePort,
      message.from,
      deliveryReport(
        { envelopeFrom: message.from, to: message.to, headers: message.raw.slice(0, message.raw.indexOf('\r\n\r\n')) },
        status,
        reply,
      ),
    );
  },
  async import(one, random) {
    const from = random(CONTACTS);
    const runId = await importRows(
      one,
      pick(random, lists),
      Array.from({ length: 300 }, (_, index) => addressOf(from + index)),
    );
    if (runId !== null && random(3) === 0) await one.client.undoRun({ id: runId, reason: 'a test' });
  },
  async 'apply a rule'(one, random) {
    const brand = pick(random, brands);
    if (random(2) === 0)
      return void (await one.client.applySunset({
        brandId: brand.id,
        expect: (await one.client.previewSunset({ brandId: brand.id })).moving,
        reason: 'a test',
      }));
    const { toUndeliverable, toDeliverable } = await one.client.previewBounce();
    await one.client.applyBounce({ expect: toUndeliverable + toDeliverable, reason: 'a test' });
  },
  async 'act on many, and undo'(one, random) {
    const brand = pick(random, brands);
    const filter = { brandId: brand.id, part: `reader${random(40)}` };
    const act = pick(random, ['unsubscribe', 'tag', 'archive', 'suppress'] as const);
    const selection = {
      act,
      filter,
      ...(act === 'tag'
        ? { tag: 'a test' }
        : act === 'unsubscribe'
          ? { brandId: brand.id }
          : act === 'suppress'
            ? { suppressionListId: ownListId }
            : {}),
    };
    const { willChange, stillMailable } = await one.client.previewAct(selection);
    const run = await one.client.applyAct({
      ...selection,
      expect: willChange,
      expectMailable: stillMailable.contacts,
      reason: 'a test',
    });
    await until(async () => (await one.client.run({ id: run.id })).finishedAt !== null || ending);
    await one.client.undoRun({ id: run.id, reason: 'a test' });
  },
  async 'undo an older run'(one, random) {
    const runs = (await one.client.runs({ limit: 30 })).items.filter(
      ({ finishedAt, undoneByRunId, kind }) =>
        finishedAt && undoneByRunId === null && !['erase', 'undo', 'suppress', 'lift'].includes(kind),
    );
    if (runs.length > 0) await one.client.undoRun({ id: pick(random, runs).id, reason: 'a test' });
  },
  async erase(one, random) {
    const address = addressOf(random(CONTACTS));
    const selection = { act: 'erase' as const, addresses: [address] };
    const { willChange, stillMailable } = await one.client.previewAct(selection);
    if (willChange === 0) return;
    const run = await one.client.applyAct({
      ...selection,
      expect: 1,
      expectMailable: stillMailable.contacts,
      reason: 'asked',
    });
    await until(async () => (await one.client.run({ id: run.id })).finishedAt !== null || ending);
    if ((await one.client.run({ id: run.id })).counts['erased'] === 1) erased.set(address, Date.now());
  },
};

const pause = (ms: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, ms));

/** One who acts again and again, each time at either process. What fails is what a user would try again. */
async function actor(name: string, seed: number, waitMs: number): Promise<void> {
  const random = makeRandom(seed);
  while (!ending) {
    const one = processes[random(2)]!;
    try {
      await ACTS[name]!(one, random);
      count(name);
    } catch (error) {
      count(error instanceof Refusal && error.problem.status < 500 ? `${name}: refused` : `${name}: cut off`);
    }
    await pause(random(waitMs * 2));
  }
}

/** Kills a process, or cuts all connections of the database, every few seconds. */
async function chaos(): Promise<void> {
  const random = makeRandom(SEED + 99);
  while (!ending) {
    await pause(6000 + random(9000));
    if (random(3) === 0) {
      await database.query(
        'SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE datname = current_database() AND pid <> pg_backend_pid()',
      );
      count('connections dropped');
      continue;
    }
    const one = processes[random(2)]!;
    one.child!.kill('SIGKILL');
    await pause(500 + random(1500));
    await start(one);
    count('kill -9');
  }
}

async function numberOf(sql: string): Promise<number> {
  return Number((await database.query<{ n: string }>(`SELECT count(*) AS n FROM ${sql}`)).rows[0]!.n);
}

test(
  'two processes do everything at once, killed and cut off in between: what they acknowledged holds',
  async () => {
    const waits: Record<string, number> = {
      send: 6000,
      'pause and go on': 9000,
      leave: 250,
      'leave everything': 500,
      'enter an address, its base or its hash': 700,
      'come back': 1500,
      'read and click': 60,
      bounce: 400,
      import: 4000,
      'apply a rule': 9000,
      'act on many, and undo': 5000,
      'undo an older run': 8000,
      erase: 4000,
    };
    const acting = [
      ...Object.entries(waits).map(([name, wait], index) => actor(name, SEED + index * 7919, wait)),
      chaos(),
    ];
    await pause(MINUTES * 60_000);
    ending = true;
    await Promise.all(acting);
    // Whatever was begun comes to its end by itself.
    const [{ client }] = processes as [ServiceProcess];
    for (const { id } of (await client.campaigns({ state: 'paused', limit: 100 })).items)
      await client.resumeCampaign({ id }).catch(() => undefined);
    const stuck = async (): Promise<Record<string, number>> => ({
      'campaigns sending': await numberOf(`campaign WHERE state = 'sending'`),
      'messages claimed': await numberOf(`delivery WHERE state = 'claimed'`),
      'runs open': await numberOf('run WHERE work IS NOT NULL'),
      'imports open': await numberOf(`import WHERE state IN ('waiting', 'applying')`),
    });
    const nothing = { 'campaigns sending': 0, 'messages claimed': 0, 'runs open': 0, 'imports open': 0 };
    await until(async () => Object.values(await stuck()).every((n) => n === 0)).catch(() => undefined);
    expect(await stuck()).toEqual(nothing);

    const messages = sink.received.flatMap((received) => readMessage(received) ?? []);
    const ledgers = { campaigns: 0, accepted: 0, uncertain: 0, heldBack: 0 };
    const wrong: string[] = [];
    for (const { id } of campaigns.values()) {
      const { ledger, state } = await client.report({ id });
      if (state === 'draft') continue;
      ledgers.campaigns++;
      for (const what of ['accepted', 'uncertain', 'heldBack'] as const) ledgers[what] += ledger[what];
      if (!ledger.agrees) wrong.push(`campaign ${id}: the ledger does not add up`);
      const reached = messages.filter(({ campaign }) => campaign.id === id).map(({ to }) => to);
      if (new Set(reached).size !== reached.length) wrong.push(`campaign ${id}: somebody got it twice`);
      if (ledger.accepted > reached.length)
        wrong.push(`campaign ${id}: ${ledger.accepted} accepted, ${reached.length} arrived`);
    }
    for (const message of messages) {
      const { to, campaign } = message;
      const late = (said.get(to) ?? []).find(
        (one) =>
          one.at < message.at &&
          (one.brandId === null ||
            (one.brandId === campaign.brandId &&
              (one.lists === null || campaign.listIds.every((id) => one.lists!.includes(id))))),
      );
      if (late)
        wrong.push(
          `${to} got campaign ${campaign.id} ${message.at - late.at} ms after it was acknowledged: ${late.way}`,
        );
      if ((erased.get(to) ?? Infinity) < message.at)
        wrong.push(`${to} got campaign ${campaign.id} after they were erased`);
    }
    // Whatever was undone since: who has left is out.
    for (const [address, ones] of said) {
      if (erased.has(address)) continue;
      const { brands: verdicts, subscriptions } = await client.check({ address });
      for (const { brandId, lists: left, way } of ones) {
        if (brandId === null) continue;
        const verdict = verdicts.find((one) => one.brandId === brandId)!;
        const on = subscriptions.filter(({ listId, state }) => state === 'subscribed' && (left ?? []).includes(listId));
        if (left === null ? verdict.eligible : on.length > 0)
          wrong.push(`${address} is back although they had left (${way})`);
      }
    }
    const activity = await client.rebuildActivity();
    if (activity.differing > 0)
      wrong.push(`the activity of ${activity.differing} contacts is not what their events say`);
    const locks = await numberOf(
      `pg_locks WHERE locktype = 'advisory' AND database = (SELECT oid FROM pg_database WHERE datname = current_database()) AND classid <> 73003`,
    );
    if (locks > 0) wrong.push(`${locks} locks are held by nobody`);

    const rows = Object.entries({
      ...done,
      'messages that arrived': messages.length,
      'people who said that they want no more': said.size,
      'people erased': erased.size,
      ...ledgers,
      'rows of activity, derived anew': activity.rows,
      differing: activity.differing,
    });
    mkdirSync('.avendel', { recursive: true });
    writeFileSync(
      '.avendel/reliability.md',
      [
        '| what | how many |',
        '| --- | ---: |',
        ...rows.map(([what, n]) => `| ${what} | ${n.toLocaleString('en-GB')} |`),
      ].join('\n'),
    );
    const who = [...new Set(wrong.flatMap((line) => /^reader\S+/.exec(line) ?? []))].slice(0, 5);
    const histories = await Promise.all(
      who.map(async (address) => ({
        address,
        said: said.get(address),
        journal: (
          await database.query(
            'SELECT j.id, j.at, j.run_id, j.subject, j.subject_id, j.before, j.after, j.actor_kind, j.cause FROM journal j JOIN contact c ON c.id = j.contact_id WHERE c.address = $1 ORDER BY j.id',
            [address],
          )
        ).rows,
      })),
    );
    writeFileSync('.avendel/reliability-wrong.json', JSON.stringify(histories, null, 1));
    expect(wrong).toEqual([]);
    expect(done['kill -9']).toBeGreaterThan(0);
  },
  MINUTES * 60_000 + 1_200_000,
);
