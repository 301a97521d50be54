import { afterAll, expect, test } from '@jest/globals';
import {
  cancelCampaign,
  pauseCampaign,
  resumeCampaign,
  startCampaign,
} from '../../src/operations/campaigns/control-campaign.ts';
import {
  changeCampaign,
  createCampaign,
  getCampaign,
  removeDraft,
} from '../../src/operations/campaigns/edit-campaign.ts';
import { preflightCampaign } from '../../src/operations/campaigns/preflight-campaign.ts';
import { findLedger } from '../../src/operations/campaigns/report-campaign.ts';
import { sendPass } from '../../src/operations/campaigns/send-campaign.ts';
import { changeBrand, changeList } from '../../src/operations/organisation/set-up.ts';
import { createSegment, removeSegment } from '../../src/operations/segments/keep-segments.ts';
import { BrandEntity, ListEntity } from '../../src/store/entities/organisation.ts';
import { listCampaignChanges } from '../../src/store/statements/campaigns.ts';
import { makeDeps } from '../support/database.ts';
import { makeSmallWorld } from '../support/world.ts';
import { NOTHING_ELSE } from '../support/parts.ts';

const CONTACTS = 140;
const actor = 'Rosa Lindgard';
const PROCESS = '00000000-0000-4000-8000-000000000001';
const deps = await makeDeps();
const world = await makeSmallWorld(deps, CONTACTS);
afterAll(() => deps.close());

const draft = (name: string) =>
  createCampaign(deps, {
    brandId: world.brandId,
    name,
    subject: 'Seen',
    html: '<p><a href="https://larkfield.example/seen">seen</a></p>',
    listIds: [world.listId],
    ...NOTHING_ELSE,
  });

/** Everything that leaves of a campaign, as subjects. */
async function sent(id: number): Promise<Set<string>> {
  const subjects = new Set<string>();
  const handOver = ({ subject }: { subject: string }) => {
    subjects.add(subject);
    return Promise.resolve({ outcome: 'accepted' as const, reply: '250 ok' });
  };
  const relay = { connections: 4, handOver };
  for (let so = 'more'; so !== 'ended';)
    so = await sendPass(deps, relay, { retrySeconds: 1, stopping: () => false }, () => PROCESS, id);
  return subjects;
}

test('a draft that is saved in the moment in which it is started: what leaves is what was looked at, or nothing', async () => {
  const outcomes = new Set<string>();
  for (let round = 0; round < 16; round++) {
    const { id } = await draft(`Round ${round}`);
    const { willGet, version } = await preflightCampaign(deps, id);
    const start = async () => startCampaign(deps, id, { expected: willGet, version, actor });
    const save = async () => changeCampaign(deps, id, { subject: 'Nobody saw this', html: '<p>x</p>' }, actor);
    const late = (act: () => Promise<unknown>, ms: number) =>
      new Promise((resolve) => setTimeout(resolve, ms)).then(act);
    const [started, saved] = await Promise.allSettled([
      late(start, (round % 4) * 3),
      late(save, Math.floor(round / 4) * 3),
    ]);
    const campaign = await getCampaign(deps, id);
    outcomes.add(`${started.status} ${saved.status}`);
    if (started.status === 'fulfilled') {
      // Saving came too late, and says so; the campaign is under way with what was seen.
      expect(saved).toMatchObject({ status: 'rejected', reason: { code: 'wrong-state' } });
      expect(campaign).toMatchObject({ state: 'sending', subject: 'Seen' });
      expect(await sent(id)).toEqual(new Set(['Seen']));
      expect(await findLedger(deps, id)).toMatchObject({ accepted: CONTACTS, agrees: true });
    } else {
      expect(started.reason).toMatchObject({
        code: 'wrong-state',
        detail: expect.stringMatching(/was changed meanwhile/) as unknown,
      });
      expect(campaign).toMatchObject({ state: 'draft', subject: 'Nobody saw this', version: version + 1 });
      expect(await deps.database.query('SELECT FROM delivery WHERE campaign_id = $1', [id])).toEqual([]);
    }
  }
  // Both orders were met, or this would prove little.
  expect([...outcomes].sort()).toEqual(['fulfilled rejected', 'rejected fulfilled']);
});

test('of two who start it at once one does; a draft that was changed since it was looked at does not start', async () => {
  const { id } = await draft('Twice');
  const { willGet, version } = await preflightCampaign(deps, id);
  await changeCampaign(deps, id, { subject: 'Seen, and mended' }, actor);
  await expect(startCampaign(deps, id, { expected: willGet, version, actor })).rejects.toMatchObject({
    code: 'wrong-state',
  });
  const again = await preflightCampaign(deps, id);
  const both = await Promise.allSettled(
    [1, 2].map(() => startCampaign(deps, id, { expected: willGet, version: again.version, actor })),
  );
  expect(both.map(({ status }) => status).sort()).toEqual(['fulfilled', 'rejected']);
  expect(await findLedger(deps, id)).toMatchObject({ waiting: CONTACTS });
});

test('who starts, pauses, resumes and cancels is on record, and that it ended by itself', async () => {
  const { id } = await draft('On record');
  await startCampaign(deps, id, { expected: CONTACTS, actor: 'Rosa Lindgard' });
  await pauseCampaign(deps, id, 'a wrong link', 'Ivo Marsh');
  await resumeCampaign(deps, id, 'Ivo Marsh');
  await sent(id);
  const other = await draft('Not wanted');
  await cancelCampaign(deps, other.id, 'Ivo Marsh');
  const said = async (campaignId: number) =>
    (await listCampaignChanges(deps.database, campaignId)).map(({ before, after, actor: by, because }) => [
      before,
      after,
      by,
      because,
    ]);
  expect(await said(id)).toEqual([
    ['draft', 'sending', 'Rosa Lindgard', null],
    ['sending', 'paused', 'Ivo Marsh', 'a wrong link'],
    ['paused', 'sending', 'Ivo Marsh', null],
    ['sending', 'finished', 'Avendel', null],
  ]);
  expect(await said(other.id)).toEqual([['draft', 'cancelled', 'Ivo Marsh', null]]);
});

test('two people who change different parts of one draft, list or brand at once lose nothing of each other', async () => {
  const { id } = await draft('Two hands');
  for (let round = 0; round < 8; round++) {
    await Promise.all([
      changeCampaign(deps, id, { subject: `Subject ${round}` }, actor),
      changeCampaign(deps, id, { html: `<p>Body ${round}</p>` }, actor),
      changeList(deps, world.listId, { agreement: `Agreed ${round}` }, actor),
      changeList(deps, world.listId, { expireDays: round + 1 }, actor),
      changeBrand(deps, world.brandId, { fromAddress: `from${round}@larkfield.example` }),
      changeBrand(deps, world.brandId, { zone: ['UTC', 'Europe/Oslo'][round % 2] }),
    ]);
    expect(await getCampaign(deps, id)).toMatchObject({ subject: `Subject ${round}`, html: `<p>Body ${round}</p>` });
    expect(await deps.database.getRepository(ListEntity).findOneBy({ id: world.listId })).toMatchObject({
      agreement: `Agreed ${round}`,
      expireDays: round + 1,
    });
    expect(await deps.database.getRepository(BrandEntity).findOneBy({ id: world.brandId })).toMatchObject({
      fromAddress: `from${round}@larkfield.example`,
      zone: ['UTC', 'Europe/Oslo'][round % 2],
    });
  }
});

test('a draft is deleted once, and nothing that was started, spoken of or changed meanwhile', async () => {
  const { id, version } = await draft('Never sent');
  await changeCampaign(deps, id, { subject: 'Changed by another', version }, actor);
  await expect(removeDraft(deps, id, version)).rejects.toMatchObject({ code: 'changed-meanwhile' });
  const segment = await createSegment(deps, {
    brandId: world.brandId,
    name: 'Got it',
    description: '',
    tags: [],
    condition: 'sent in campaign "Never sent"',
    actor,
    reason: 'seen',
  });
  await expect(removeDraft(deps, id)).rejects.toMatchObject({
    code: 'wrong-state',
    detail: expect.stringContaining('“Got it”') as unknown,
  });
  await removeSegment(deps, segment.id);
  const both = await Promise.allSettled([removeDraft(deps, id), removeDraft(deps, id)]);
  expect(both.map(({ status }) => status).sort()).toEqual(['fulfilled', 'rejected']);
  await expect(getCampaign(deps, id)).rejects.toMatchObject({ code: 'not-found' });

  const sentOnce = await draft('Once sent');
  const { willGet } = await preflightCampaign(deps, sentOnce.id);
  await startCampaign(deps, sentOnce.id, { expected: willGet, actor });
  await expect(removeDraft(deps, sentOnce.id)).rejects.toMatchObject({ code: 'wrong-state' });
  await cancelCampaign(deps, sentOnce.id, actor);
  await expect(removeDraft(deps, sentOnce.id)).rejects.toMatchObject({ code: 'wrong-state' });
  expect((await findLedger(deps, sentOnce.id)).audience).toBe(CONTACTS);
});

test('a draft that is deleted in the moment in which it is started is either sent whole, or gone whole', async () => {
  for (let round = 0; round < 12; round++) {
    const { id } = await draft(`Started or gone ${round}`);
    const { willGet } = await preflightCampaign(deps, id);
    const [started, removed] = await Promise.allSettled([
      startCampaign(deps, id, { expected: willGet, actor }),
      removeDraft(deps, id),
    ]);
    expect([started.status, removed.status].sort()).toEqual(['fulfilled', 'rejected']);
    const [{ left }] = await deps.database.query<[{ left: number }]>(
      'SELECT count(*)::int AS left FROM delivery WHERE campaign_id = $1',
      [id],
    );
    expect(left).toBe(started.status === 'fulfilled' ? CONTACTS : 0);
    if (started.status === 'fulfilled') await cancelCampaign(deps, id, actor);
  }
});
