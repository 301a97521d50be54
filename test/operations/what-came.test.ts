import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { compareCampaigns, lookAtWhatCame } from '../../src/operations/campaigns/what-came.ts';
import { createCampaign } from '../../src/operations/campaigns/edit-campaign.ts';
import { recordEvents } from '../../src/operations/events/record-events.ts';
import { replaceLinks, listRecipients } from '../../src/store/statements/campaigns.ts';
import { makeDeps } from '../support/database.ts';
import { shortDraft } from '../support/parts.ts';
import { makePastCampaigns, makeSmallWorld, outside } from '../support/world.ts';

const PEOPLE = 20;
const HOUR = 3_600_000;
const deps = await makeDeps();
const world = await makeSmallWorld(deps, PEOPLE);
/** The last of them is the one that is looked at. */
const campaigns = await makePastCampaigns(deps, world, 5);
const last = campaigns.at(-1)!;
afterAll(() => deps.close());

/** What contacts did, so many hours after they got a campaign. */
const act = (kind: 'opened' | 'clicked', of: (typeof campaigns)[number], hours: number, who: number[], detail = {}) =>
  recordEvents(
    deps,
    who.map((contact) => outside(world, kind, contact, of, of.at + hours * HOUR + 10_000, detail)),
  );
const upTo = (many: number): number[] => Array.from({ length: many }, (_, contact) => contact);

beforeAll(async () => {
  for (const campaign of campaigns)
    await recordEvents(
      deps,
      upTo(PEOPLE).map((contact) => outside(world, 'sent', contact, campaign, campaign.at)),
    );
  // Of the four before it 2, 4, 6 and 20 of twenty opened within the hour.
  for (const [index, opened] of [2, 4, 6, 20].entries()) await act('opened', campaigns[index]!, 0, upTo(opened));
  await act('opened', last, 0, upTo(8));
  await act('opened', last, 20, [8, 9, 0]);
  await replaceLinks(deps.database.manager, last.id, [
    { number: 0, url: 'https://larkfield.example/trap' },
    { number: 1, url: 'https://larkfield.example/sky' },
    { number: 2, url: 'https://larkfield.example/map' },
    { number: 3, url: 'https://larkfield.example/nobody' },
  ]);
  await act('clicked', last, 1, [0, 1], { link: 2, url: 'https://larkfield.example/map' });
  await act('clicked', last, 2, [1, 2, 3], { link: 1, url: 'https://larkfield.example/sky' });
  // Once more is not one more.
  await act('clicked', last, 3, [3], { link: 1, url: 'https://larkfield.example/sky' });
});

test('when people first opened and clicked, from when each of them got it', async () => {
  const { byHour } = await lookAtWhatCame(deps, last.id);
  expect(byHour.map(({ hours, opened, clicked }) => [hours, opened, clicked])).toEqual([
    [1, 8, 0],
    [2, 8, 2],
    [3, 8, 4],
    [21, 10, 4],
  ]);
});

test('links with who clicked them, each contact once, and the trap is none of them', async () => {
  const { links } = await lookAtWhatCame(deps, last.id);
  expect(links).toEqual([
    { number: 1, url: 'https://larkfield.example/sky', people: 3, anyone: 3 },
    { number: 2, url: 'https://larkfield.example/map', people: 2, anyone: 2 },
    { number: 3, url: 'https://larkfield.example/nobody', people: 0, anyone: 0 },
  ]);
  const who = async (link: number) =>
    (await listRecipients(deps.database.manager, last.id, { acted: 'clicked', actor: 'human', link }, 0, 100)).map(
      ({ contactId }) => world.contactIds.indexOf(contactId),
    );
  expect([await who(1), await who(2), await who(3)]).toEqual([[1, 2, 3], [0, 1], []]);
});

test('what is usual is the median of those before it, and one that everybody opened does not make it', async () => {
  const { usual } = await lookAtWhatCame(deps, last.id);
  expect(usual).toMatchObject({ campaigns: 4, shares: { opened: { human: 0.25 }, clicked: { human: 0 } } });
  expect(usual!.opening.find(({ hours }) => hours === 1)).toEqual({ hours: 1, share: 0.25 });
  // The first of them has none before it; of another purpose or brand none counts.
  expect((await lookAtWhatCame(deps, campaigns[0]!.id)).usual).toBeNull();
  await deps.database.query(`UPDATE campaign SET purpose = 'service' WHERE id = $1`, [campaigns[3]!.id]);
  expect((await lookAtWhatCame(deps, last.id)).usual).toMatchObject({
    campaigns: 3,
    shares: { opened: { human: 0.2 } },
  });
  await deps.database.query(`UPDATE campaign SET state = 'cancelled' WHERE id = $1`, [campaigns[2]!.id]);
  expect((await lookAtWhatCame(deps, last.id)).usual).toMatchObject({
    campaigns: 2,
    shares: { opened: { human: expect.closeTo(0.15) as unknown } },
  });
});

test('campaigns stand side by side in the order in which they are named', async () => {
  const compared = await compareCampaigns(deps, [last.id, campaigns[1]!.id]);
  expect(compared.map(({ id, delivered, shares }) => [id, delivered, shares?.opened.human])).toEqual([
    [last.id, PEOPLE, 0.5],
    [campaigns[1]!.id, PEOPLE, 0.2],
  ]);
  expect(compared[0]!.byHour.at(-1)).toMatchObject({ hours: 21, opened: 10 });
  expect(compared[0]!.rates.map(({ name, of }) => [name, of])).toEqual([
    ['bounce', PEOPLE],
    ['hard', PEOPLE],
    ['complaint', PEOPLE],
    ['unsubscribe', PEOPLE],
  ]);
});

test('one that is not there, or was not started, is said', async () => {
  await expect(compareCampaigns(deps, [last.id, 999])).rejects.toThrow('There is no campaign 999');
  const draft = await createCampaign(deps, shortDraft(world, 'Not yet'));
  await expect(compareCampaigns(deps, [draft.id, last.id])).rejects.toThrow('“Not yet” was not started');
  expect(await lookAtWhatCame(deps, draft.id)).toMatchObject({ byHour: [], links: [] });
});
