import { afterEach, beforeEach, describe, expect, test } from '@jest/globals';
import { beginUndo } from '../../src/operations/runs/undo-run.ts';
import { countSunsetMoves, previewSunsetRule } from '../../src/operations/rules/sunset-rule.ts';
import { workThrough } from '../../src/operations/runs/work-through.ts';
import { findRun } from '../../src/store/statements/journal.ts';
import { findSunsetRule, saveSunsetRule } from '../../src/store/statements/rules.ts';
import { makeDeps } from '../support/database.ts';
import { applySunsetRule } from '../support/runs.ts';
import { makePastCampaigns, makeSmallWorld, outside, type SmallWorld } from '../support/world.ts';
import { recordEvents } from '../../src/operations/events/record-events.ts';

let deps: Awaited<ReturnType<typeof makeDeps>>;
let world: SmallWorld;
const actor = 'Rosa Lindgard';

beforeEach(async () => {
  deps = await makeDeps();
  world = await makeSmallWorld(deps, 6);
  const campaigns = await makePastCampaigns(deps, world, 12);
  for (const campaign of campaigns)
    await recordEvents(
      deps,
      world.contactIds.map((_, contact) => outside(world, 'sent', contact, campaign, campaign.at)),
    );
});
afterEach(() => deps.close());

const ruleNow = async () => (await findSunsetRule(deps.database, world.brandId)).rule;
/** Applies a ladder that is one day stricter at its first step. */
async function applyChanged() {
  const before = await ruleNow();
  const rule = {
    ...before,
    steps: before.steps.map((step, index) => (index === 0 ? { ...step, days: step.days - 10 } : step)),
  };
  const { moving } = await previewSunsetRule(deps, world.brandId, rule);
  const run = await applySunsetRule(deps, {
    brandId: world.brandId,
    rule,
    expected: moving,
    reason: 'stricter',
    actor,
    actorKind: 'person',
  });
  return { before, rule, run, moving };
}
const undo = async (runId: number, ruleToo: boolean) =>
  workThrough(deps, await beginUndo(deps, runId, 'too strict', actor, ruleToo));

describe('undoing a run that changed the ladder', () => {
  test('puts the ladder back as well when that is wanted, and its own undo brings it again', async () => {
    const { before, rule, run, moving } = await applyChanged();
    expect(moving).toBeGreaterThan(0);
    expect(run.changedRule).toBe(true);
    const undone = await undo(run.id, true);
    expect(await ruleNow()).toEqual(before);
    expect((await countSunsetMoves(deps, world.brandId)).moving).toBe(
      (await previewSunsetRule(deps, world.brandId, before)).moving,
    );
    expect(undone.changedRule).toBe(true);
    await undo(undone.id, true);
    expect(await ruleNow()).toEqual(rule);
    expect((await countSunsetMoves(deps, world.brandId)).moving).toBe(0);
  });

  test('leaves it as it stands when it is not wanted', async () => {
    const { rule, run, moving } = await applyChanged();
    expect((await undo(run.id, false)).changedRule).toBe(false);
    expect(await ruleNow()).toEqual(rule);
    expect((await countSunsetMoves(deps, world.brandId)).moving).toBe(moving);
  });

  test('refuses to overrule who changed it since, and then nothing is undone', async () => {
    const { rule, run } = await applyChanged();
    await saveSunsetRule(
      deps.database.manager,
      world.brandId,
      { ...rule, grace: { ...rule.grace, days: rule.grace.days + 1 } },
      'Tomas Oakley',
    );
    await expect(undo(run.id, true)).rejects.toMatchObject({ code: 'wrong-state', field: 'ruleToo' });
    expect((await findRun(deps.database, run.id))!.undoneByRunId).toBeNull();
    await undo(run.id, false);
  });

  test('has no ladder to put back where the run changed none', async () => {
    const rule = await ruleNow();
    const { moving } = await previewSunsetRule(deps, world.brandId, rule);
    const run = await applySunsetRule(deps, {
      brandId: world.brandId,
      expected: moving,
      reason: 'as it is',
      actor,
      actorKind: 'person',
    });
    expect(run.changedRule).toBe(false);
    await expect(undo(run.id, true)).rejects.toMatchObject({ code: 'wrong-state' });
  });
});
