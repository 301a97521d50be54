import { createHash, generateKeyPairSync } from 'node:crypto';
import nodemailer from 'nodemailer';
import { compileMessage, standardFields, writeMessage } from '../src/core/message/compile-message.ts';
import { makeTokenizer } from '../src/core/message/token.ts';
import { makeMimeBuilder } from '../src/service/relay/mime-skeleton.ts';
import type { NewCampaign } from '../src/shared/contract/campaigns.ts';
import { addressOf, importEnd, median, withClient } from './measuring.ts';
import { seconds, type BenchService, type Measured } from './support.ts';

const MESSAGES = 4000;
const SLOW = 2000;
const CONNECTIONS = 8;
const STORED = 2_000_000;
const WEEK_MS = 7 * 86_400_000;
/** So often each is done, all by turns; the median counts. */
const ROUNDS = 3;
const HTML = `<p>Dear [[first_name else "reader"]], ${'the nights are long now. '.repeat(40)}<a href="https://larkfield.example/sky">the sky</a></p>`;

/** The same list in two waves, all at once, and at a pace that limits nobody. */
const WITH_ALL: Partial<NewCampaign> = {
  waves: [
    { of: { share: 0.5 }, afterHours: null, at: null, test: null },
    { of: { rest: true }, afterHours: 0, at: null, test: null },
  ],
  pace: {
    perHour: 90_000_000,
    connections: null,
    domains: [{ domain: 'other.example', perHour: 60, connections: null }],
  },
};

/**
 * Sending to a sink: as it is, signed with DKIM, under a cap, a standing exclusion, waves and a pace, and beside a
 * receiving domain that puts everything off; the bare pool hands over one ready-made message, and signs it with the
 * same key.
 */
export async function measureSending(service: BenchService, brandId: number, relayPort: number): Promise<Measured[]> {
  const addresses = Array.from({ length: MESSAGES }, (_, index) => addressOf(index * 4 + 1));
  const listId = await listOf(service, brandId, 'Send', addresses);
  const slow = Array.from({ length: SLOW }, (_, index) => `reader${index}@slow.example`);
  const withSlow = await listOf(service, brandId, 'Send beside a slow domain', [...addresses, ...slow]);
  const ready = await readyMade();
  const times = {
    plain: [] as number[],
    signed: [] as number[],
    all: [] as number[],
    slow: [] as number[],
    bare: [] as number[],
    bareSigned: [] as number[],
  };
  const { privateKey } = generateKeyPairSync('rsa', { modulusLength: 2048 });
  const pem = privateKey.export({ type: 'pkcs8', format: 'pem' }).toString();
  for (let round = 0; round < ROUNDS; round++) {
    times.bare.push(await sendBare(ready, relayPort));
    times.plain.push(await send(service, brandId, `Send ${round}`, { listIds: [listId] }));
    times.bareSigned.push(await sendBare(ready, relayPort, pem));
    const key = await service.client.addDkimKey({ id: brandId, selector: `round${round}`, privateKey: pem });
    await service.client.signWithDkimKey({ id: brandId, keyId: key.id, signs: true });
    times.signed.push(await send(service, brandId, `Signed ${round}`, { listIds: [listId] }));
    await service.client.removeDkimKey({ id: brandId, keyId: key.id });
    const cap = await service.client.createCap({ brandId, messages: 32, days: 1 });
    const exclusion = await service.client.createExclusion({
      brandId,
      name: `Bounced lately ${round}`,
      condition: 'bounced in the last 45 days',
      reason: 'bench',
    });
    times.all.push(await send(service, brandId, `With all ${round}`, { listIds: [listId], ...WITH_ALL }));
    await service.client.endCap({ id: cap.id });
    await service.client.endExclusion({ id: exclusion.id, reason: 'bench' });
    times.slow.push(await send(service, brandId, `Beside a slow one ${round}`, { listIds: [withSlow] }));
  }
  const row = (ours: number[], bare: number[]): Omit<Measured, 'name' | 'wanted'> => ({
    unit: 'messages/s',
    ours: MESSAGES / median(ours),
    bare: MESSAGES / median(bare),
    peakMb: service.peakMb(),
  });
  await storeDeliveries(service, brandId);
  const stored: number[] = [];
  for (let round = 0; round < ROUNDS; round++)
    stored.push(await send(service, brandId, `With many stored ${round}`, { listIds: [listId] }));
  const messages = MESSAGES.toLocaleString('en-GB');
  return [
    { ...row(times.plain, times.bare), name: `sending ${messages} messages to a sink`, wanted: 0.6 },
    { ...row(times.signed, times.bareSigned), name: 'the same signed with DKIM, beside the pool signing', wanted: 0.6 },
    { ...row(times.all, times.bare), name: 'the same under a cap, an exclusion, in waves, at a pace', wanted: 0.5 },
    { ...row(times.all, times.plain), name: 'that beside the first', wanted: 0.85 },
    { ...row(stored, times.plain), name: 'with 2,000,000 deliveries stored, beside the first', wanted: 0.9 },
    {
      ...row(times.slow, times.plain),
      name: 'beside a domain that puts everything off, beside the first',
      wanted: 0.95,
    },
  ];
}

async function listOf(service: BenchService, brandId: number, name: string, addresses: string[]): Promise<number> {
  const list = await service.client.createList({ brandId, name });
  const file = ['address,name', ...addresses.map((address, index) => `${address},Reader ${index}`)].join('\n');
  await importEnd(service, (await service.client.importFile({ listId: list.id, fileName: `${name}.csv`, file })).id);
  return list.id;
}

/** Seconds until as many have been accepted as are at domains that take them; what is left of it is cancelled. */
async function send(service: BenchService, brandId: number, name: string, to: Partial<NewCampaign>): Promise<number> {
  const { id } = await service.client.createCampaign({ brandId, name, subject: 'The sky', html: HTML, ...to });
  const { willGet } = await service.client.preflight({ id });
  const took = await seconds(async () => {
    await service.client.startCampaign({ id, expect: willGet });
    while ((await service.client.report({ id })).ledger.accepted < MESSAGES)
      await new Promise((resolve) => setTimeout(resolve, 50));
  });
  if (willGet > MESSAGES) await service.client.cancelCampaign({ id });
  return took;
}

/** Ten campaigns of the past to everybody there is, with what is kept of them contact by contact. */
async function storeDeliveries(service: BenchService, brandId: number): Promise<void> {
  await withClient(service.databaseUrl, async (client) => {
    for (let weeks = 10; weeks >= 1; weeks--) {
      const startedAt = new Date(Date.now() - weeks * WEEK_MS).toISOString();
      const draft = { brandId, name: `Past ${weeks}`, subject: 's', html: '<p>x</p>', listIds: [1], startedAt };
      const { id } = await service.client.recordCampaign(draft);
      await client.query(
        `INSERT INTO delivery (campaign_id, contact_id, address, list_ids, state, accepted_at, day, domain)
         SELECT $1::int, id, address, '{1}', 'accepted', $2::timestamptz, $2::timestamptz::date, split_part(address, '@', 2) FROM contact ORDER BY id LIMIT ${STORED / 10}`,
        [id, startedAt],
      );
    }
    await client.query(
      `INSERT INTO mailed (contact_id, brand_id, ever, campaigns, at)
       SELECT contact_id, $1::int, count(*), array_agg(campaign_id ORDER BY accepted_at), array_agg(accepted_at ORDER BY accepted_at)
       FROM delivery d JOIN campaign k ON k.id = d.campaign_id AND k.sent_elsewhere GROUP BY 1
       ON CONFLICT (contact_id, brand_id) DO UPDATE SET ever = mailed.ever + excluded.ever, campaigns = excluded.campaigns || mailed.campaigns, at = excluded.at || mailed.at`,
      [brandId],
    );
    for (const tidy of ['VACUUM ANALYZE', 'CHECKPOINT']) await client.query(tidy);
  });
}

async function sendBare(ready: Buffer, port: number, privateKey?: string): Promise<number> {
  const pool = nodemailer.createTransport({
    host: '127.0.0.1',
    port,
    pool: true,
    maxConnections: CONNECTIONS,
    maxMessages: Infinity,
    ignoreTLS: true,
    ...(privateKey && { dkim: { domainName: 'larkfield.example', keySelector: 'bench', privateKey } }),
  });
  const took = await seconds(() =>
    Promise.all(
      Array.from({ length: MESSAGES }, (_, index) =>
        pool.sendMail({ envelope: { from: 'b@returns.larkfield.example', to: addressOf(index) }, raw: ready }),
      ),
    ),
  );
  pool.close();
  return took;
}

/** One message as ours are, made beforehand. */
async function readyMade(): Promise<Buffer> {
  const tokens = makeTokenizer([{ version: 1, secret: createHash('sha256').update('bench').digest() }]);
  const { message } = compileMessage(
    { subject: 'The sky', html: HTML, text: '' },
    new Set(['first_name', 'name', 'address']),
  );
  const sender = {
    brandName: 'Bench',
    fromAddress: 'bench@larkfield.example',
    returnDomain: 'returns.larkfield.example',
    publicUrl: 'http://127.0.0.1:7401',
    listName: 'Send',
  };
  return makeMimeBuilder()(
    writeMessage(
      message,
      { contactId: 1, campaignId: 1, address: addressOf(1), fields: standardFields(addressOf(1), 'Reader 1') },
      sender,
      tokens,
    ),
  );
}
