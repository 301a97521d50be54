import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { createCampaign } from '../../src/operations/campaigns/edit-campaign.ts';
import { preflightCampaign, type Preflight } from '../../src/operations/campaigns/preflight-campaign.ts';
import { checkAddress } from '../../src/operations/contacts/explain-verdict.ts';
import { recordEvents } from '../../src/operations/events/record-events.ts';
import { unsubscribeByRequest } from '../../src/operations/consent/unsubscribe-by-request.ts';
import { addEntries } from '../../src/operations/suppression/keep-entries.ts';
import { makeDeps } from '../support/database.ts';
import { makePastCampaigns, makeSmallWorld, outside } from '../support/world.ts';
import { ownSuppressionList, shortDraft } from '../support/parts.ts';

const deps = await makeDeps();
const world = await makeSmallWorld(deps, 8);

beforeAll(async () => {
  const [campaign] = await makePastCampaigns(deps, world, 1);
  await unsubscribeByRequest(deps, { address: world.addresses[0]!, reason: 'asked', actor: 'Rosa Lindgard' });
  await recordEvents(deps, [
    outside(world, 'complained', 1, campaign!, campaign!.at + 1000),
    outside(world, 'bounced', 2, campaign!, campaign!.at + 1000, { class: 'hard' }),
  ]);
  // Left and complained, and stopped from everything besides.
  await unsubscribeByRequest(deps, { address: world.addresses[3]!, reason: 'asked', actor: 'Rosa Lindgard' });
  const list = await ownSuppressionList(deps, 'Nothing at all', 'everything');
  await addEntries(deps, {
    listId: list.id,
    values: [world.addresses[3]!],
    reason: 'by letter',
    expiresAt: null,
    actor: 'Rosa Lindgard',
  });
});
afterAll(() => deps.close());

const preflight = async (purpose: 'marketing' | 'service', name: string): Promise<Preflight> => {
  const draft = { ...shortDraft(world, name), purpose };
  return preflightCampaign(deps, (await createCampaign(deps, draft)).id);
};

test('a service message says whom it reaches although they opted out or complained, and counts nobody whom it does not reach', async () => {
  const service = await preflight('service', 'A notice');
  expect(service).toMatchObject({ audience: 8, willGet: 6 });
  expect(
    service.inSpiteOf.map(({ reason, contacts, sample }) => [reason, contacts, sample.map(({ address }) => address)]),
  ).toEqual([
    ['complained', 1, [world.addresses[1]]],
    ['unsubscribed', 1, [world.addresses[0]]],
  ]);
  const marketing = await preflight('marketing', 'A digest');
  expect(marketing).toMatchObject({ audience: 8, willGet: 4, inSpiteOf: [] });
  // What a marketing message reaches, and those it does not for these reasons alone, are what the service message
  // reaches.
  expect(marketing.willGet + service.inSpiteOf.reduce((sum, { contacts }) => sum + contacts, 0)).toBe(service.willGet);
  expect((await checkAddress(deps, world.addresses[3]!)).brands[0]!.reasons).toContain('suppressed');
});
