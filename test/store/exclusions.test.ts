import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import {
  createExclusion,
  endExclusion,
  lookAtExclusions,
  lookAtSetAside,
  previewExclusion,
  setExclusionAside,
  takeExclusionUp,
} from '../../src/operations/campaigns/exclusions.ts';
import { createCap, endCap } from '../../src/operations/campaigns/caps.ts';
import { startCampaign } from '../../src/operations/campaigns/control-campaign.ts';
import { changeCampaign, createCampaign, removeDraft } from '../../src/operations/campaigns/edit-campaign.ts';
import { listChanges, lookAtLedger } from '../../src/operations/campaigns/look-at-ledger.ts';
import { listPreflightContacts, preflightCampaign } from '../../src/operations/campaigns/preflight-campaign.ts';
import { reportCampaign } from '../../src/operations/campaigns/report-campaign.ts';
import { sendPass } from '../../src/operations/campaigns/send-campaign.ts';
import { recordEvents } from '../../src/operations/events/record-events.ts';
import { createList } from '../../src/operations/organisation/set-up.ts';
import {
  changeSegment,
  createSegment,
  getSegment,
  removeSegment,
} from '../../src/operations/segments/keep-segments.ts';
import { overWholeSet } from '../../src/store/database.ts';
import { compareTallies } from '../../src/store/statements/tallies.ts';
import { makeDeps } from '../support/database.ts';
import { makeShop, shortDraft } from '../support/parts.ts';
import { importText, makePastCampaigns, makeSmallWorld, outside, type SmallWorld } from '../support/world.ts';

const actor = 'Rosa Lindgard';
const CONTACTS = 20;
let deps: Awaited<ReturnType<typeof makeDeps>>;
let world: SmallWorld;
let shop: { brandId: number; listId: number };
/** Contacts 0 to 3 bounced softly, 2 to 5 bought something, 5 to 7 are on the list Members. */
let members: number;
let buyers: number;
beforeAll(async () => {
  deps = await makeDeps();
  world = await makeSmallWorld(deps, CONTACTS);
  const [past] = await makePastCampaigns(deps, world, 1);
  const at = deps.now().getTime() - 3_600_000;
  const bounced = (contact: number) => outside(world, 'bounced', contact, past!, at, { class: 'soft' });
  const bought = (contact: number) => outside(world, 'purchased', contact, null, at, { what: 'a map' });
  await recordEvents(deps, [...[0, 1, 2, 3].map(bounced), ...[2, 3, 4, 5].map(bought)]);
  members = (await createList(deps, { brandId: world.brandId, name: 'Members', optIn: 'single' })).id;
  await importText(deps, members, ['address', ...world.addresses.slice(5, 8)].join('\n'));
  buyers = (await createSegment(deps, { brandId: world.brandId, name: 'Buyers', condition: 'purchased', actor })).id;
  const brand = await makeShop(deps);
  const notes = await createList(deps, { brandId: brand.id, name: 'Shop Notes', optIn: 'single' });
  await importText(deps, notes.id, ['address', ...world.addresses].join('\n'));
  shop = { brandId: brand.id, listId: notes.id };
});
afterAll(() => deps.close());

let made = 0;
const draft = async (of: { brandId: number; listId: number } = world, extra: object = {}): Promise<number> =>
  (await createCampaign(deps, { ...shortDraft(of, `Campaign ${(made += 1)}`), ...extra })).id;

async function started(): Promise<number> {
  const id = await draft();
  await startCampaign(deps, id, { expected: (await preflightCampaign(deps, id)).willGet, actor });
  return id;
}

async function afresh(): Promise<void> {
  for (const { id } of await lookAtExclusions(deps, {})) await endExclusion(deps, id, 'the test is over', actor);
}
const lines = async (id: number) =>
  (await preflightCampaign(deps, id)).reasons.map(({ by, reason, contacts }) => [by?.name ?? reason, contacts]);
const lately = { name: 'Bounced lately', condition: 'bounced in the last 45 days', reason: 'left alone', actor };

async function send(id: number, between: () => Promise<unknown> = () => Promise.resolve()): Promise<string[]> {
  const handed: string[] = [];
  const handOver = async ({ to }: { to: string }) => {
    handed.push(to);
    if (handed.length === 1) await between();
    return { outcome: 'accepted' as const, reply: '250 ok' };
  };
  const settings = { retrySeconds: 0, stopping: () => false };
  const process = '00000000-0000-4000-8000-000000000001';
  for (let so = 'more', passes = 0; so !== 'ended' && passes < 30; passes++)
    so = await sendPass(deps, { connections: 1, handOver }, settings, () => process, id);
  return handed;
}

describe('standing exclusions', () => {
  test('each stands on a line of its own, in the preflight, the ledger, the report and for each contact', async () => {
    await afresh();
    const { brandId } = world;
    const first = await createExclusion(deps, { brandId, ...lately });
    await createExclusion(deps, { brandId, name: 'Buyers', segmentId: buyers, reason: 'just bought', actor });
    const list = await createExclusion(deps, {
      brandId,
      name: 'Members',
      listId: members,
      reason: 'have theirs',
      actor,
    });
    const id = await draft();
    // Whoever is left out by several is counted once, under the first.
    expect(await lines(id)).toEqual([
      ['Members', 3],
      ['Bounced lately', 4],
      ['Buyers', 1],
    ]);
    const by = { kind: 'exclusion', id: first.id, name: 'Bounced lately' };
    const some = { reason: 'left-out' as const, by: `exclusion ${first.id}` };
    const found = await listPreflightContacts(deps, id, some, 0, 10);
    expect(found.map(({ address, leftOutBy }) => [address, leftOutBy])).toEqual(
      world.addresses.slice(0, 4).map((address) => [address, by]),
    );
    await startCampaign(deps, id, { expected: 12, actor });
    const { ledger } = await reportCampaign(deps, id);
    expect(ledger.reasons.map(({ by: what, contacts }) => [what?.name, contacts])).toEqual([
      ['Bounced lately', 4],
      ['Buyers', 1],
      ['Members', 3],
    ]);
    expect(ledger).toMatchObject({ audience: CONTACTS, heldBack: 8, waiting: 12, agrees: true });
    const kept = await lookAtLedger(deps, id, { reason: 'left-out', by: `exclusion ${list.id}` }, 0, 10);
    expect(kept.total).toBe(3);
    expect(kept.rows[0]).toMatchObject({ address: world.addresses[5], leftOutBy: { name: 'Members' } });
    expect(await overWholeSet(deps.database, compareTallies)).toMatchObject({ differing: 0, sample: [] });
  });

  test('it holds for marketing of its brand, one of all brands for each; what the campaign leaves out itself comes first', async () => {
    await afresh();
    await createExclusion(deps, { brandId: world.brandId, ...lately });
    await createExclusion(deps, { name: 'Buyers anywhere', segmentId: buyers, reason: 'of all brands', actor });
    expect(await lines(await draft())).toEqual([
      ['Bounced lately', 4],
      ['Buyers anywhere', 2],
    ]);
    expect(await lines(await draft(shop))).toEqual([['Buyers anywhere', 4]]);
    expect(await lines(await draft(world, { purpose: 'service' }))).toEqual([]);
    const own = await draft(world, { leftOutSegmentIds: [buyers], leftOutListIds: [members] });
    expect(await lines(own)).toEqual([
      ['Members', 3],
      ['Buyers', 3],
      ['Bounced lately', 2],
    ]);
  });

  test('one is set aside by name and with a reason, which the record and the report show; the draft is another by then', async () => {
    await afresh();
    const one = await createExclusion(deps, { brandId: world.brandId, ...lately });
    await createExclusion(deps, { brandId: world.brandId, name: 'Buyers', segmentId: buyers, reason: 'bought', actor });
    const id = await draft();
    const seen = await preflightCampaign(deps, id);
    await setExclusionAside(deps, id, { exclusionId: one.id, reason: 'it is about their bounces', actor });
    expect(await lines(id)).toEqual([['Buyers', 4]]);
    await expect(startCampaign(deps, id, { expected: seen.willGet, version: seen.version, actor })).rejects.toThrow(
      'was changed meanwhile',
    );
    const again = { exclusionId: one.id, reason: 'again', actor };
    await expect(setExclusionAside(deps, id, again)).rejects.toThrow('has set “Bounced lately” aside already');
    await startCampaign(deps, id, { expected: 16, actor });
    const kept = { name: 'Bounced lately', reason: 'it is about their bounces', setBy: actor };
    expect((await reportCampaign(deps, id)).setAside).toMatchObject([kept]);
    expect((await listChanges(deps, id))[0]).toMatchObject({
      actor,
      because: 'set “Bounced lately” aside: it is about their bounces',
    });
    expect(await send(id)).toHaveLength(16);
    await expect(setExclusionAside(deps, id, again)).rejects.toThrow('only a draft can be changed');
    await expect(takeExclusionUp(deps, id, one.id, actor)).rejects.toThrow('only a draft can be changed');
  });

  test('it is taken up again; what does not hold for a campaign, or has ended, cannot be set aside', async () => {
    await afresh();
    const one = await createExclusion(deps, { brandId: world.brandId, ...lately });
    const [id, other] = [await draft(), await draft(shop)];
    await setExclusionAside(deps, id, { exclusionId: one.id, reason: 'r', actor });
    await takeExclusionUp(deps, id, one.id, actor);
    expect(await lookAtSetAside(deps, id)).toEqual([]);
    expect(await lines(id)).toEqual([['Bounced lately', 4]]);
    await expect(takeExclusionUp(deps, id, one.id, actor)).rejects.toThrow('has not set “Bounced lately” aside');
    const aside = { exclusionId: one.id, reason: 'r', actor };
    await expect(setExclusionAside(deps, other, aside)).rejects.toThrow('does not hold for');
    await endExclusion(deps, one.id, 'over', actor);
    await expect(setExclusionAside(deps, id, aside)).rejects.toThrow('does not hold for');
    await expect(endExclusion(deps, one.id, 'over', actor)).rejects.toThrow('has ended already');
    await expect(setExclusionAside(deps, id, { ...aside, exclusionId: 999 })).rejects.toThrow(
      'no standing exclusion 999',
    );
  });

  test('begun while a campaign is under way, it holds for everybody who has not left when it is acknowledged', async () => {
    await afresh();
    const id = await draft();
    await startCampaign(deps, id, { expected: CONTACTS, actor });
    const out = new Set([...world.addresses.slice(2, 6), ...world.addresses.slice(5, 8)]);
    let gone: string[] = [];
    const handed = await send(id, async () => {
      await createExclusion(deps, { brandId: world.brandId, name: 'B', segmentId: buyers, reason: 'r', actor });
      await createExclusion(deps, { brandId: world.brandId, name: 'M', listId: members, reason: 'r', actor });
      const rows = await deps.database.query<{ address: string }[]>(
        'SELECT address FROM delivery WHERE campaign_id = $1 AND handed_at IS NOT NULL',
        [id],
      );
      gone = rows.map(({ address }) => address);
    });
    const stopped = [...out].filter((address) => !gone.includes(address));
    expect(stopped.length).toBeGreaterThan(2);
    expect([...handed].sort()).toEqual(world.addresses.filter((address) => !stopped.includes(address)).sort());
    const { ledger } = await reportCampaign(deps, id);
    expect(ledger).toMatchObject({ heldBack: stopped.length, accepted: CONTACTS - stopped.length });
    expect(new Set(ledger.reasons.map(({ by }) => by?.name))).toEqual(new Set(['B', 'M']));
  });

  test('who is capped as well is left out, at the gate as in the preflight', async () => {
    await afresh();
    await send(await started());
    const id = await started();
    const cap = await createCap(deps, { brandId: world.brandId, messages: 1, days: 7, actor });
    await createExclusion(deps, { brandId: world.brandId, ...lately });
    const expected = [
      ['Bounced lately', 4],
      ['capped', 16],
    ];
    expect(await lines(await draft())).toEqual(expected);
    expect(await send(id)).toEqual([]);
    const { ledger } = await reportCampaign(deps, id);
    expect(ledger.reasons.map(({ by, reason, contacts }) => [by?.name ?? reason, contacts])).toEqual(expected);
    const { rows } = await lookAtLedger(deps, id, { reason: 'left-out' }, 0, 1);
    expect(rows[0]).toMatchObject({ reasons: ['left-out', 'capped'], cappedBy: { messages: 1 } });
    await endCap(deps, cap.id, actor);
  });

  test('what would leave out everybody is refused, and says how many', async () => {
    await afresh();
    const all = { brandId: world.brandId, name: 'All', condition: 'everyone', reason: 'r' };
    expect(await previewExclusion(deps, all)).toEqual([
      { brandId: world.brandId, brandName: 'Larkfield Observatory', mayBeWritten: CONTACTS, leftOut: CONTACTS },
    ]);
    await expect(createExclusion(deps, { ...all, actor })).rejects.toThrow('It would leave out all 20 contacts');
    await expect(
      createExclusion(deps, { brandId: shop.brandId, name: 'L', listId: shop.listId, reason: 'r', actor }),
    ).rejects.toThrow('leave out all 20 contacts to whom Larkfield Shop may write');
    expect(await lookAtExclusions(deps, {})).toEqual([]);
  });

  test('what it is about has to be there, in words that each brand understands', async () => {
    await afresh();
    const of = { reason: 'r', actor, name: 'One' };
    await expect(createExclusion(deps, { ...of, brandId: 999, listId: 1 })).rejects.toThrow('no brand 999');
    await expect(createExclusion(deps, { ...of, brandId: shop.brandId, listId: members })).rejects.toThrow('no list');
    await expect(createExclusion(deps, { ...of, brandId: shop.brandId, segmentId: buyers })).rejects.toThrow(
      'no segment',
    );
    await expect(createExclusion(deps, { ...of, condition: 'bounced in the' })).rejects.toThrow();
    // The shop has no list of this name.
    await expect(createExclusion(deps, { ...of, condition: 'on list "Members"' })).rejects.toThrow('Members');
    await createExclusion(deps, { ...of, brandId: world.brandId, condition: 'on list "Members"' });
    const twice = { ...of, brandId: world.brandId, listId: members };
    await expect(createExclusion(deps, twice)).rejects.toThrow('There is a standing exclusion “One” already');
  });

  test('what it speaks of keeps its name with it, and is not removed under it', async () => {
    await afresh();
    const { brandId } = world;
    const gone = await createSegment(deps, { brandId, name: 'Gone', condition: 'archived', actor });
    const named = await createSegment(deps, { brandId, name: 'Named', condition: 'purchased', actor });
    await createExclusion(deps, { brandId, name: 'By number', segmentId: gone.id, reason: 'r', actor });
    const text = 'segment "Named"';
    const one = await createExclusion(deps, { brandId, name: 'By name', condition: text, reason: 'r', actor });
    await expect(removeSegment(deps, gone.id)).rejects.toThrow('is used by “By number”');
    await expect(removeSegment(deps, named.id)).rejects.toThrow('is used by “By name”');
    await changeSegment(deps, named.id, { name: 'Renamed', reason: 'r', actor });
    const kept = (await lookAtExclusions(deps, { brandId })).find(({ id }) => id === one.id)!;
    expect(kept.condition).toContain('Renamed');
    const spoken = await draft();
    await changeCampaign(deps, spoken, { name: 'Spoken of' }, actor);
    const clicked = 'clicked in campaign "Spoken of"';
    await createExclusion(deps, { brandId, name: 'Clicked', condition: clicked, reason: 'r', actor });
    await expect(removeDraft(deps, spoken)).rejects.toThrow('is spoken of by “Clicked”');
    await afresh();
    await removeSegment(deps, gone.id);
    await expect(getSegment(deps, gone.id)).rejects.toThrow('no segment');
    await removeDraft(deps, spoken);
  });

  test('one that can no longer be worked out stops the campaign and is named; nobody is written to in spite of it', async () => {
    await afresh();
    const one = await createExclusion(deps, { brandId: world.brandId, ...lately });
    const id = await draft();
    await startCampaign(deps, id, { expected: 16, actor });
    await deps.database.query(`UPDATE exclusion SET condition = 'attribute "gone" is 1' WHERE id = $1`, [one.id]);
    expect(await send(id)).toEqual([]);
    const { state, pausedBecause } = await reportCampaign(deps, id);
    expect([state, pausedBecause]).toEqual([
      'paused',
      expect.stringContaining('“Bounced lately” cannot be worked out'),
    ]);
    await expect(preflightCampaign(deps, await draft())).rejects.toThrow('“Bounced lately”');
  });
});
