import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { freePort, makeCampaign, makeList, startRealService, until, type Running } from '../support/service.ts';
import { startOutsideWorld } from '../../src/simulator/outside/outside-world.ts';
import { speakHttp } from '../../src/simulator/speak-http.ts';
import { FILLED_DAY, HISTORY_DAYS, makePeople } from '../../src/simulator/world/people.ts';
import { loadWorld } from '../../src/simulator/world/load-world.ts';
import { startPostfix } from '../support/postfix.ts';
import { startSink } from '../support/sink.ts';

/** What the receiving servers say to whom, after the mail server of ours has taken the message. */
const REFUSALS: Record<string, { code: number; message: string }> = {
  gone: { code: 550, message: '5.1.1 <gone@lanternpost.example>: Recipient address rejected: User unknown' },
  closed: { code: 550, message: '5.2.1 mailbox disabled, not accepting messages' },
  plain: { code: 550, message: 'no such user here' },
  full: { code: 552, message: '5.2.2 The mailbox is over quota' },
  policy: { code: 550, message: '5.7.1 message refused by local policy' },
};
const AT_THE_END: Record<string, { code: number; message: string }> = {
  spam: { code: 554, message: '5.7.1 rejected as spam' },
  unclear: { code: 550, message: 'transaction failed' },
};
const FINE = ['ada', 'bo'];
const LATER = 'later';

let service: Running;
let sink: Awaited<ReturnType<typeof startSink>>;
let postfix: Awaited<ReturnType<typeof startPostfix>>;

beforeAll(async () => {
  service = await startRealService();
  const receiver = await freePort();
  const of = (table: typeof REFUSALS) => (address: string) => table[address.split('@')[0]!];
  const later = { code: 451, message: '4.7.1 greylisted, try again later' };
  sink = await startSink(receiver, {
    rcpt: (address) => (address.startsWith(LATER) ? later : of(REFUSALS)(address)),
    endOfData: of(AT_THE_END),
  });
  postfix = await startPostfix({
    port: service.relayPort,
    receiver,
    returns: service.intakePort,
    returnDomains: ['returns.larkfield.example'],
  });
});
afterAll(async () => {
  await postfix.stop();
  await service.stop();
  await sink.close();
});

test('a campaign through a real mail server: its reports are read, the right people are marked, and nobody else', async () => {
  const names = [...FINE, ...Object.keys(REFUSALS), ...Object.keys(AT_THE_END), LATER];
  const list = await makeList(
    service.client,
    names.map((name) => `${name}@lanternpost.example`),
  );
  const id = await makeCampaign(service.client, list, 'Through a mail server');
  await service.client.startCampaign({ id, expect: names.length });
  const bounced = Object.keys(REFUSALS).length + Object.keys(AT_THE_END).length;
  await until(async () => (await service.client.returns({})).items.length >= bounced);
  const read = Object.fromEntries(
    (await service.client.returns({})).items.map(({ state, reading }) => {
      const { address, class: bounceClass, status } = reading.recipients[0]!;
      return [address.split('@')[0]!, `${state}: ${bounceClass} ${status}`];
    }),
  );
  expect(read).toEqual({
    gone: 'counted: hard 5.1.1',
    closed: 'counted: hard 5.2.1',
    plain: 'counted: hard 5.0.0',
    full: 'counted: soft 5.2.2',
    policy: 'counted: block 5.7.1',
    spam: 'counted: block 5.7.1',
    unclear: 'counted: soft 5.0.0',
  });
  const marks = await Promise.all(
    names.map(
      async (name) =>
        [
          name,
          (await service.client.check({ address: `${name}@lanternpost.example` })).contact!.deliverability,
        ] as const,
    ),
  );
  const marked = (mark: string): string[] =>
    marks
      .filter(([, one]) => one === mark)
      .map(([name]) => name)
      .sort();
  expect({ dead: marked('undeliverable'), doubtful: marked('doubtful') }).toEqual({
    dead: ['closed', 'gone', 'plain'],
    doubtful: ['full', 'unclear'],
  });
  expect(sink.received.map(({ to }) => to.split('@')[0]).sort()).toEqual(FINE);
});

test('a campaign of the demo world through it: whoever is gone is marked, and nobody else', async () => {
  const world = await startRealService();
  const receiver = await freePort();
  const people = makePeople(600);
  const outside = await startOutsideWorld({
    host: '127.0.0.1',
    port: receiver,
    intakeHost: '127.0.0.1',
    intakePort: world.intakePort,
    pace: 0.05,
    people,
    say: (text) => console.error(text),
  });
  const mta = await startPostfix({
    port: world.relayPort,
    receiver,
    returns: world.intakePort,
    returnDomains: ['returns.larkfield.example', 'returns.shop.larkfield.example'],
  });
  try {
    await loadWorld(speakHttp(world.console, world.token), new Date(), () => undefined, { peopleCount: 600 });
    const { client } = world;
    const brandId = (await client.brands())[0]!.id;
    const undeliverable = async (): Promise<string[]> =>
      (await client.contacts({ brandId, deliverability: 'undeliverable', limit: 500 })).items
        .map(({ address }) => address)
        .sort();
    const before = await undeliverable();
    const campaign = (await client.campaigns({ state: 'draft' })).items.find(
      ({ name }) => name === 'The December sky',
    )!;
    // What came back of the days before may still be read, and change whom it is for meanwhile.
    await until(async () => {
      const { willGet } = await client.preflight({ id: campaign.id });
      await client.startCampaign({ id: campaign.id, expect: willGet });
      return true;
    });
    await until(async () => (await client.report({ id: campaign.id })).state === 'finished');
    const accepted = (await client.recipients({ id: campaign.id, state: 'accepted', limit: 500 })).items;
    const all = [...accepted.map(({ address }) => address)];
    const gone = new Set(
      people.filter(({ goneDay }) => goneDay !== null && goneDay <= HISTORY_DAYS + 40).map(({ address }) => address),
    );
    // Whose mailbox was full for two messages, and is for this one, has come to the bounce count.
    const thirdTime = new Set(people.filter(({ fullDay }) => fullDay === FILLED_DAY).map(({ address }) => address));
    const wanted = all.filter((address) => gone.has(address) || thirdTime.has(address)).sort();
    expect(wanted.filter((address) => gone.has(address)).length).toBeGreaterThan(2);
    expect(wanted.filter((address) => thirdTime.has(address)).length).toBeGreaterThan(0);
    await until(async () => (await undeliverable()).length >= before.length + wanted.length);
    await until(() => outside.pending() === 0);
    expect((await undeliverable()).filter((address) => !before.includes(address))).toEqual(wanted);
    const unread = (await client.returns({ state: 'unmatched' })).items;
    expect(unread).toEqual([]);
  } finally {
    await mta.stop();
    await outside.stop();
    await world.stop();
  }
});
