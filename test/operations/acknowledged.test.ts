import { afterEach, beforeEach, expect, test } from '@jest/globals';
import { addressHash } from '../../src/core/address/suppression-keys.ts';
import { startCampaign } from '../../src/operations/campaigns/control-campaign.ts';
import { createCampaign } from '../../src/operations/campaigns/edit-campaign.ts';
import { findLedger } from '../../src/operations/campaigns/report-campaign.ts';
import { sendPass } from '../../src/operations/campaigns/send-campaign.ts';
import { beginAct, previewAct } from '../../src/operations/acts/act-on-contacts.ts';
import { recordEvents } from '../../src/operations/events/record-events.ts';
import { createList } from '../../src/operations/organisation/set-up.ts';
import { leavingEvent } from '../../src/operations/consent/leave.ts';
import { unsubscribeByRequest } from '../../src/operations/consent/unsubscribe-by-request.ts';
import { workFirst } from '../../src/operations/runs/work-through.ts';
import { addEntries } from '../../src/operations/suppression/keep-entries.ts';
import { findContactIds } from '../../src/store/statements/contacts.ts';
import { makeDeps } from '../support/database.ts';
import { importText, makeSmallWorld, type SmallWorld } from '../support/world.ts';
import { ownSuppressionList, NOTHING_ELSE } from '../support/parts.ts';

const actor = 'Rosa Lindgard';
let deps: Awaited<ReturnType<typeof makeDeps>>;
let world: SmallWorld;
let listId: number;
let ownListId: number;

const PEOPLE = Array.from({ length: 240 }, (_, index) =>
  ['ada', 'bo', 'cy', 'di', 'ed', 'fay'].map(
    (name) =>
      `${name}${index}${index % 3 === 0 ? '+moon' : ''}@${['lanternpost', 'quillmail', 'hearthmail', 'labs.campusnet'][index % 4]}.example`,
  ),
).flat();

beforeEach(async () => {
  deps = await makeDeps();
  deps.clock.now = new Date();
  world = await makeSmallWorld(deps, 1);
  listId = (await createList(deps, { brandId: world.brandId, name: 'Members’ Letter', optIn: 'single' })).id;
  await importText(deps, listId, `address\n${PEOPLE.join('\n')}`);
  ownListId = (await ownSuppressionList(deps, 'Do not write', 'everything')).id;
});
afterEach(() => deps.close());

interface HandedOver {
  to: string;
  begun: number;
  ended: number;
}

const without = (address: string): string => address.replace('+moon', '');
const enter = async (value: string): Promise<number> =>
  (await addEntries(deps, { listId: ownListId, values: [value], reason: 'asked', expiresAt: null, actor })).onTheirWay;
const event = async (address: string): Promise<void> => {
  const contactId = (await findContactIds(deps.database, [address])).get(address)!;
  await recordEvents(deps, [
    leavingEvent(deps, {
      contactId,
      brandId: world.brandId,
      campaignId: null,
      lists: null,
      way: 'one click',
      at: Date.now(),
    }),
  ]);
};

/** Ways in which somebody comes to get no more: what is done for an address, and whom else it concerns. */
const WAYS: {
  way: string;
  stop: (address: string) => Promise<number | void | 'overtaken'>;
  concerns: (to: string, stopped: string) => boolean;
}[] = [
  { way: 'an entry of the address', stop: enter, concerns: (to, stopped) => to === stopped || without(to) === stopped },
  {
    way: 'an entry of the address without its sub-address',
    stop: (address) => enter(without(address)),
    concerns: (to, stopped) => without(to) === without(stopped),
  },
  {
    way: 'an entry of its hash',
    stop: (address) => enter(addressHash(address)),
    concerns: (to, stopped) => to === stopped,
  },
  { way: 'one click', stop: event, concerns: (to, stopped) => to === stopped },
  {
    way: 'staff take down that they asked',
    stop: async (address) => void (await unsubscribeByRequest(deps, { address, reason: 'by telephone', actor })),
    concerns: (to, stopped) => to === stopped,
  },
  {
    way: 'an act of staff',
    stop: async (address) => {
      const request = { act: 'unsubscribe' as const, brandId: world.brandId, addresses: [address] };
      // Somebody else may be taking off the same person at this moment.
      const run = await beginAct(deps, {
        ...request,
        expect: (await previewAct(deps, request)).willChange,
        reason: 'a test',
        actor,
      }).catch(() => undefined);
      if (run === undefined) return 'overtaken';
      await workFirst(deps, run);
      return undefined;
    },
    concerns: (to, stopped) => to === stopped,
  },
  {
    way: 'an entry of the domain and those below it',
    stop: () => enter('.campusnet.example'),
    concerns: (to) => to.endsWith('campusnet.example'),
  },
];

test('under a send by two processes, nothing leaves after the answer but what it announced: for every kind of entry and every way of leaving', async () => {
  const campaign = await createCampaign(deps, {
    brandId: world.brandId,
    name: 'The sky',
    subject: 's',
    html: '<p>x</p>',
    listIds: [listId],
    ...NOTHING_ELSE,
  });
  await startCampaign(deps, campaign.id, { expected: PEOPLE.length, actor });
  const handed: HandedOver[] = [];
  const onTheirWay = new Set<string>();
  const relay = {
    connections: 12,
    async handOver({ to }: { to: string }) {
      const one = { to, begun: performance.now(), ended: Infinity };
      handed.push(one);
      onTheirWay.add(to);
      await new Promise((resolve) => setTimeout(resolve, 5 + (handed.length % 7) * 25));
      one.ended = performance.now();
      onTheirWay.delete(to);
      return { outcome: 'accepted' as const, reply: '250 ok' };
    },
  };
  let ended = false;
  const sending = Promise.all(
    ['00000000-0000-4000-8000-000000000001', '00000000-0000-4000-8000-000000000002'].map(async (id) => {
      for (let so = 'more'; so !== 'ended';)
        so = await sendPass(deps, relay, { retrySeconds: 1, stopping: () => false }, () => id, campaign.id);
    }),
  ).finally(() => (ended = true));
  const late: string[] = [];
  const answered: { concerns: (to: string) => boolean; at: number; announced: number; way: string }[] = [];
  const stopSomebody = async (turn: number): Promise<void> => {
    const { way, stop, concerns } = WAYS[turn % (WAYS.length - 1)]!;
    // Somebody whose message is on its way at this very instant, or comes soon.
    const address =
      [...onTheirWay].find((one) => turn % 2 === 0 || one.includes('+moon')) ?? PEOPLE[PEOPLE.length - 1 - turn]!;
    const announced = (await stop(address)) ?? 0;
    if (announced === 'overtaken') return;
    answered.push({ way, announced, at: performance.now(), concerns: (to) => concerns(to, address) });
  };
  await Promise.all(
    [0, 1, 2].map(async (first) => {
      for (let turn = first; !ended && turn < 48; turn += 3) await stopSomebody(turn);
    }),
  );
  if (!ended) {
    const { way, stop, concerns } = WAYS.at(-1)!;
    answered.push({
      way,
      announced: Number(await stop('')),
      at: performance.now(),
      concerns: (to) => concerns(to, ''),
    });
  }
  await sending;
  for (const { way, concerns, at, announced } of answered) {
    const after = handed.filter(({ to, ended: over }) => concerns(to) && over > at);
    if (after.length > announced) late.push(`${way}: ${after.map(({ to }) => to).join(', ')}`);
  }
  expect(late).toEqual([]);
  expect(new Set(answered.map(({ way }) => way)).size).toBe(WAYS.length);
  expect(await findLedger(deps, campaign.id)).toMatchObject({ agrees: true, uncertain: 0, waiting: 0 });
});
