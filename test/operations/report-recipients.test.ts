import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { parse } from 'csv-parse/sync';
import { exportRecipients } from '../../src/operations/campaigns/export-recipients.ts';
import { recordEvents } from '../../src/operations/events/record-events.ts';
import { countRecipients, listRecipients, type RecipientFilter } from '../../src/store/statements/campaigns.ts';
import { makeDeps } from '../support/database.ts';
import { makePastCampaigns, makeSmallWorld, outside } from '../support/world.ts';

const PEOPLE = 25;
const deps = await makeDeps();
const world = await makeSmallWorld(deps, PEOPLE);
let campaignId: number;

beforeAll(async () => {
  const [campaign] = await makePastCampaigns(deps, world, 1);
  campaignId = campaign!.id;
  const { at } = campaign!;
  const everybody = world.contactIds.map((_, contact) => contact);
  await recordEvents(
    deps,
    everybody.map((contact) => outside(world, 'sent', contact, campaign!, at)),
  );
  await recordEvents(
    deps,
    everybody
      .filter((contact) => contact < 22)
      .map((contact) => outside(world, 'opened', contact, campaign!, at + 60_000)),
  );
  await recordEvents(
    deps,
    [0, 1].map((contact) =>
      outside(world, 'bounced', contact, campaign!, at + 120_000, { class: 'hard', reply: '=550 5.1.1 no such user' }),
    ),
  );
  // The latest is what came back last.
  await recordEvents(
    deps,
    [2].flatMap((contact) =>
      [60_000, 180_000].map((later, turn) =>
        outside(world, 'bounced', contact, campaign!, at + later, {
          class: 'soft',
          reply: `452 4.2.2 full, try ${turn + 1}`,
        }),
      ),
    ),
  );
  await deps.database.query(`UPDATE delivery SET reply = '250 2.0.0 taken' WHERE campaign_id = $1`, [campaignId]);
});
afterAll(() => deps.close());

const page = (filter: RecipientFilter, after = 0, limit = 100) =>
  listRecipients(deps.database.manager, campaignId, filter, after, limit);
const rowsOf = async (filter: RecipientFilter): Promise<Record<string, string>[]> => {
  let csv = '';
  for await (const piece of exportRecipients(deps, campaignId, filter)) csv += piece;
  return parse(csv, { columns: true });
};

test('who bounced is shown with what came back, and not with what the relay said when it took the message', async () => {
  const hard = await page({ acted: 'bounced', actor: 'hard' });
  expect(hard.map(({ address, reply }) => [address, reply])).toEqual(
    world.addresses.slice(0, 2).map((address) => [address, '=550 5.1.1 no such user']),
  );
  expect((await page({ acted: 'bounced', actor: 'soft' })).map(({ reply }) => reply)).toEqual([
    '452 4.2.2 full, try 2',
  ]);
  expect((await page({ acted: 'opened' }))[0]!.reply).toBeNull();
  expect((await page({ state: 'accepted' }))[0]!.reply).toBe('250 2.0.0 taken');
});

test('the list behind a figure is whole: counted, paged, searched, and as a file', async () => {
  const opened = { acted: 'opened' };
  expect(await countRecipients(deps.database.manager, campaignId, opened)).toBe(22);
  const paged: number[] = [];
  for (let after = 0; ;) {
    const rows = await page(opened, after, 7);
    if (rows.length === 0) break;
    paged.push(...rows.map(({ contactId }) => contactId));
    after = rows.at(-1)!.contactId;
  }
  expect(paged).toEqual(world.contactIds.slice(0, 22));
  const part = world.addresses[3]!.split('@')[0]!.toUpperCase();
  expect((await page({ ...opened, part: `${part}@` })).map(({ address }) => address)).toEqual([world.addresses[3]]);
  expect(await countRecipients(deps.database.manager, campaignId, { ...opened, part: '%' })).toBe(0);
  expect((await rowsOf(opened)).map(({ address }) => address)).toEqual(world.addresses.slice(0, 22));
  expect((await rowsOf({ acted: 'bounced', actor: 'hard' }))[0]).toMatchObject({
    state: 'accepted',
    reply: "'=550 5.1.1 no such user",
  });
});

test('who waits is whoever is queued or on the way', async () => {
  await deps.database.query(
    `UPDATE delivery SET state = CASE WHEN contact_id = $2 THEN 'queued' ELSE 'claimed' END WHERE campaign_id = $1 AND contact_id = ANY($3::bigint[])`,
    [campaignId, world.contactIds[20], world.contactIds.slice(20, 22)],
  );
  expect((await page({ state: 'waiting' })).map(({ contactId }) => contactId)).toEqual(world.contactIds.slice(20, 22));
  expect(await page({ state: 'queued' })).toHaveLength(1);
});
