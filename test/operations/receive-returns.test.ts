import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { readReturns } from '../../src/core/returns/read-return.ts';
import { checkAddress } from '../../src/operations/contacts/explain-verdict.ts';
import { recordEvents } from '../../src/operations/events/record-events.ts';
import { matchReturn } from '../../src/operations/returns/match-return.ts';
import { receiveReturns, type ReceivedReturn } from '../../src/operations/returns/receive-return.ts';
import { lookAtToday } from '../../src/operations/health/today.ts';
import { complaintReport, deliveryReport } from '../../src/simulator/reports.ts';
import { countReturns, dismissReturn, findReturn } from '../../src/store/statements/returns.ts';
import { makeDeps } from '../support/database.ts';
import { makePastCampaigns, makeSmallWorld, outside, type SmallWorld } from '../support/world.ts';

let deps: Awaited<ReturnType<typeof makeDeps>>;
let world: SmallWorld;
let campaign: { id: number; at: number };
const DAY = 86_400_000;

beforeAll(async () => {
  deps = await makeDeps();
  world = await makeSmallWorld(deps, 12);
  [campaign] = (await makePastCampaigns(deps, world, 1)) as [typeof campaign];
  await recordEvents(
    deps,
    world.addresses.map((_, index) => outside(world, 'sent', index, campaign, campaign.at)),
  );
  await deps.database.query(`UPDATE delivery SET state = 'accepted', accepted_at = $1`, [new Date(campaign.at)]);
  deps.clock.now = new Date(campaign.at + DAY);
});
afterAll(() => deps.close());

interface Sent {
  envelopeFrom: string;
  to: string;
  headers: string;
}

/** A message as it went out; with `by`, what of it came back names it by that alone. */
function sent(index: number, by: 'address' | 'message-id'): Sent {
  const to = world.addresses[index]!;
  const token = deps.tokens.make({
    use: 'return',
    campaignId: campaign.id,
    contactId: world.contactIds[index]!,
    link: 0,
  });
  const envelopeFrom = by === 'address' ? `b.${token}@returns.larkfield.example` : 'bounces@larkfield.example';
  return {
    envelopeFrom,
    to,
    headers: `From: digest@larkfield.example\r\nTo: ${to}\r\nMessage-ID: <${token}@larkfield.example>`,
  };
}

const receive = async (raw: string, to = ''): Promise<ReceivedReturn> =>
  (await receiveReturns(deps, Buffer.from(raw), [to]))[0]!;
const hard = (message: Sent): string => deliveryReport(message, '5.1.1', '550 5.1.1 no such user');
const deliverability = async (index: number): Promise<string> =>
  (await checkAddress(deps, world.addresses[index]!)).contact!.deliverability;

describe('a Message-ID alone is weaker than a token', () => {
  test('a hard bounce by a token counts; by the Message-ID alone it is held, and a person says that it counts', async () => {
    expect(await receive(hard(sent(0, 'address')))).toMatchObject({ state: 'counted' });
    expect(await deliverability(0)).toBe('undeliverable');
    const held = await receive(hard(sent(1, 'message-id')));
    expect(held).toMatchObject({ state: 'held', reading: { by_message_id: true } });
    expect(held.because).toMatch(/^a hard bounce that is known by its Message-ID alone/);
    expect(await deliverability(1)).not.toBe('undeliverable');
    expect((await countReturns(deps.database)).held).toBe(1);
    expect((await lookAtToday(deps, world.brandId)).heldReturns).toBe(1);
    expect(await findReturn(deps.database, held.id)).toMatchObject({
      contactId: world.contactIds[1],
      campaignId: campaign.id,
    });
    const matched = await matchReturn(deps, held.id, { address: world.addresses[1]!, actor: 'Rosa Lindgard' });
    expect(matched.state).toBe('counted');
    expect(await deliverability(1)).toBe('undeliverable');
    await expect(
      matchReturn(deps, held.id, { address: world.addresses[1]!, actor: 'Rosa Lindgard' }),
    ).rejects.toMatchObject({ code: 'wrong-state' });
  });

  test('what is held can be put aside: it counts against nobody', async () => {
    const held = await receive(hard(sent(2, 'message-id')));
    expect(await dismissReturn(deps.database, held.id)).toBe(true);
    expect(await deliverability(2)).not.toBe('undeliverable');
  });

  test('a soft bounce and a complaint by it count, of whom the message was sent to', async () => {
    const soft = await receive(deliveryReport(sent(3, 'message-id'), '5.2.2', '552 5.2.2 full'));
    expect(soft).toMatchObject({ state: 'counted', reading: { by_message_id: true } });
    expect(await receive(complaintReport(sent(4, 'message-id')))).toMatchObject({ state: 'counted' });
  });

  test('of somebody else, or of nobody, it matches nothing: whoever was passed the message cannot report for its recipient', async () => {
    const report = hard(sent(5, 'message-id')).replaceAll(world.addresses[5]!, 'else@hearthmail.example');
    expect(await receive(report)).toMatchObject({
      state: 'unmatched',
      because: 'names a message of ours by its Message-ID alone, and not whom that was sent to',
    });
    const id = /<[^>]+@larkfield\.example>/.exec(sent(5, 'message-id').headers)![0];
    const reply = (from: string): string =>
      `From: ${from}\r\nTo: office@larkfield.example\r\nIn-Reply-To: ${id}\r\nSubject: unsubscribe\r\n\r\n`;
    expect(await receive(reply('else@hearthmail.example'))).toMatchObject({ state: 'unmatched' });
    expect((await checkAddress(deps, world.addresses[5]!)).brands[0]!.eligible).toBe(true);
    expect(await receive(reply(world.addresses[5]!))).toMatchObject({ state: 'counted' });
    expect((await checkAddress(deps, world.addresses[5]!)).brands[0]!.eligible).toBe(false);
  });

  test('it holds for 14 days; a token holds on', async () => {
    deps.clock.now = new Date(campaign.at + 15 * DAY);
    const soft = (index: number, by: 'address' | 'message-id'): Promise<ReceivedReturn> =>
      receive(deliveryReport(sent(index, by), '5.2.2', '552 5.2.2 full'));
    expect(await soft(6, 'message-id')).toMatchObject({
      state: 'unmatched',
      because: 'names a message of ours by its Message-ID alone, and that was sent more than 14 days ago',
    });
    expect(await soft(6, 'address')).toMatchObject({ state: 'counted' });
    deps.clock.now = new Date(campaign.at + DAY);
  });
});

describe('what is kept of it', () => {
  const rawOf = async (id: number): Promise<number | undefined> => (await findReturn(deps.database, id))!.raw?.length;
  const LARGE = `Subject: hello\r\n\r\n${'x'.repeat(200_000)}`;

  test('the bytes are kept once for all addresses that a message came to, and it counts for each', async () => {
    const message = sent(7, 'address');
    const other = sent(8, 'address');
    const letter = `From: no-reply@hearthmail.example\r\nSubject: ${LARGE}`;
    const to = [message, other].map(({ envelopeFrom }) => envelopeFrom.replace(/^b\./, 'u.'));
    const bytes = async (): Promise<number> => {
      const [row]: { n: number }[] = await deps.database.query('SELECT count(*)::int AS n FROM return_raw');
      return row!.n;
    };
    const before = await bytes();
    const received = await receiveReturns(deps, Buffer.from(letter), to);
    expect(received.map(({ state }) => state)).toEqual(['counted', 'counted']);
    expect(await bytes()).toBe(before + 1);
    expect(await Promise.all(received.map(({ id }) => rawOf(id)))).toEqual([letter.length, letter.length]);
    for (const index of [7, 8])
      expect((await checkAddress(deps, world.addresses[index]!)).brands[0]!.eligible).toBe(false);
    const again = await receiveReturns(deps, Buffer.from(letter), [...to].reverse());
    expect(again.map(({ id }) => id)).toEqual(received.map(({ id }) => id).reverse());
  });

  test('of what matches nothing the first 64 KB; all of it once it comes to an address of ours', async () => {
    const received = await receive(LARGE);
    expect([received.state, await rawOf(received.id)]).toEqual(['unmatched', 64 * 1024]);
    expect((await findReturn(deps.database, received.id))!.bytes).toBe(LARGE.length);
    const ours = await receive(LARGE, sent(9, 'address').envelopeFrom);
    expect([ours.state, await rawOf(ours.id), await rawOf(received.id)]).toEqual(['noted', LARGE.length, LARGE.length]);
  });

  test('a reading that the database refuses is kept as unreadable, and the next message is taken', async () => {
    const given = deps.readReturns;
    deps.readReturns = (raw, to) =>
      Promise.resolve({ readings: readReturns(raw, to).readings.map((one) => ({ ...one, because: 'a\u0000b' })) });
    const received = await receive('Subject: odd\r\n\r\n');
    deps.readReturns = given;
    expect(received).toMatchObject({ state: 'unmatched', reading: { kind: 'unreadable' } });
    expect((await findReturn(deps.database, received.id))!.reading.because).toMatch(/cannot be kept/);
    expect(await receive('Subject: even\r\n\r\n')).toMatchObject({ state: 'unmatched', reading: { kind: 'unknown' } });
  });
});
