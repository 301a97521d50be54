import { afterAll, describe, expect, test } from '@jest/globals';
import { DEFAULT_SUNSET_RULE } from '../../src/core/rules/sunset-ladder.ts';
import { changeCampaign, createCampaign } from '../../src/operations/campaigns/edit-campaign.ts';
import { changeBrand, changeList, createBrand, createList } from '../../src/operations/organisation/set-up.ts';
import { createSegment, getSegment } from '../../src/operations/segments/keep-segments.ts';
import { countByList } from '../../src/store/statements/subscriptions.ts';
import { findSunsetRule, saveSunsetRule } from '../../src/store/statements/rules.ts';
import { listSegmentVersions } from '../../src/store/statements/segments.ts';
import { makeDeps } from '../support/database.ts';
import { importText, makeSmallWorld } from '../support/world.ts';
import { shortDraft } from '../support/parts.ts';

const actor = 'Rosa Lindgard';
const deps = await makeDeps();
const world = await makeSmallWorld(deps, 6);
afterAll(() => deps.close());

const segment = async (name: string, condition: string): Promise<number> =>
  (await createSegment(deps, { brandId: world.brandId, name, condition, actor })).id;
const condition = async (id: number): Promise<string> => (await getSegment(deps, id)).condition.replace(/\s+/g, ' ');

describe('a thing that gets another name', () => {
  test('a list: the conditions and the ladder that speak of it go along, each as a version; others stay', async () => {
    const on = await segment(
      'On the digest',
      'on list "Night Digest" and (clicked from list "Night Digest" or not waiting on list "Night Digest")',
    );
    const other = await segment('Named alike', 'name is "Night Digest" and tagged "Night Digest"');
    await saveSunsetRule(
      deps.database,
      world.brandId,
      { ...DEFAULT_SUNSET_RULE, covers: 'on list "Night Digest"' },
      actor,
    );
    await changeList(deps, world.listId, { name: 'Night "Sky" Digest' }, actor);
    const name = '"Night \\"Sky\\" Digest"';
    expect(await condition(on)).toBe(`on list ${name} and (clicked from list ${name} or not waiting on list ${name})`);
    expect((await findSunsetRule(deps.database, world.brandId)).rule.covers).toBe(`on list ${name}`);
    expect(await listSegmentVersions(deps.database, on)).toMatchObject([
      { version: 2, changedBy: actor, reason: 'the list “Night Digest” is called “Night "Sky" Digest” now' },
      { version: 1 },
    ]);
    expect(await listSegmentVersions(deps.database, other)).toHaveLength(1);
    await changeList(deps, world.listId, { name: 'Night Digest' }, actor);
    expect(await condition(on)).toMatch(/^on list "Night Digest"/);
  });

  test('a list that keeps its name, or takes one that is in use: no condition changes', async () => {
    const on = await segment('Still on it', 'on list "Night Digest"');
    await createList(deps, { brandId: world.brandId, name: 'Open Evenings', optIn: 'single' });
    await changeList(deps, world.listId, { agreement: 'one letter a month' }, actor);
    await expect(changeList(deps, world.listId, { name: 'Open Evenings' }, actor)).rejects.toMatchObject({
      code: 'name-taken',
      field: 'name',
    });
    await expect(changeList(deps, 999, { name: 'Nothing' }, actor)).rejects.toMatchObject({ code: 'not-found' });
    expect(await condition(on)).toBe('on list "Night Digest"');
    expect(await listSegmentVersions(deps.database, on)).toHaveLength(1);
  });

  test('a list of another brand of the same name is another list', async () => {
    const shop = await createBrand(deps, {
      name: 'Larkfield Shop',
      fromAddress: 'shop@larkfield.example',
      returnDomain: 'returns.shop.larkfield.example',
      zone: 'UTC',
    });
    const notes = await createList(deps, { brandId: shop.id, name: 'Night Digest', optIn: 'single' });
    const on = await segment('Not of the shop', 'on list "Night Digest"');
    await changeList(deps, notes.id, { name: 'Shop Notes' }, actor);
    expect(await condition(on)).toBe('on list "Night Digest"');
  });

  test('a draft: who never clicked in it is still asked for it', async () => {
    const draft = await createCampaign(deps, shortDraft(world, 'The sky'));
    const id = await segment('Not yet', 'never sent in campaign "The sky"');
    await changeCampaign(deps, draft.id, { name: 'The winter sky' }, actor);
    expect(await condition(id)).toBe('never sent in campaign "The winter sky"');
  });
});

describe('brands and lists', () => {
  test('a brand is changed field by field; a name that is taken changes nothing', async () => {
    const changed = await changeBrand(deps, world.brandId, { zone: 'Europe/Dublin' });
    expect(changed).toMatchObject({
      name: 'Larkfield Observatory',
      fromAddress: 'digest@larkfield.example',
      zone: 'Europe/Dublin',
    });
    await expect(changeBrand(deps, world.brandId, { name: 'Larkfield Shop' })).rejects.toMatchObject({
      code: 'name-taken',
    });
    await expect(changeBrand(deps, 999, { zone: 'UTC' })).rejects.toMatchObject({ code: 'not-found' });
  });

  test('lists are counted by state, without archived and erased contacts', async () => {
    const letter = await createList(deps, { brandId: world.brandId, name: 'Members’ Letter', optIn: 'double' });
    await importText(deps, letter.id, 'address\nada@quillmail.example\nben@quillmail.example');
    await deps.database.query(`UPDATE contact SET archived_at = now() WHERE address = 'ben@quillmail.example'`);
    const counts = await countByList(deps.database);
    expect(counts.find(({ listId }) => listId === letter.id)).toEqual({
      listId: letter.id,
      subscribed: 0,
      pending: 1,
      unsubscribed: 0,
    });
    expect(counts.find(({ listId }) => listId === world.listId)).toMatchObject({ subscribed: 6, pending: 0 });
  });
});
