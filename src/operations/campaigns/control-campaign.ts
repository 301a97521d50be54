import { compileMessage, TRAP_LINK } from '../../core/message/compile-message.ts';
import type { CampaignState } from '../../shared/words.ts';
import { domainOfSlice } from '../../shared/brake.ts';
import { inTransaction } from '../../store/database.ts';
import type { Sql } from '../../store/sql.ts';
import type { Campaign } from '../../store/entities/campaign.ts';
import {
  moveCampaign,
  replaceLinks,
  setTrouble,
  waitForCampaign,
  type CampaignMover,
} from '../../store/statements/campaigns.ts';
import { listOpenBrakes, releaseBrakes } from '../../store/statements/brake.ts';
import { isCaughtUp } from '../../store/statements/catching-up.ts';
import { countFigures, nameDomains } from '../../store/statements/tallies.ts';
import { findWaiting, openLedger } from '../../store/statements/deliveries.ts';
import { countReachedInSpite } from '../../store/statements/preflight.ts';
import { listWaves, openWaves } from '../../store/statements/waves.ts';
import type { Deps } from '../deps.ts';
import { Problem } from '../problem.ts';
import { ledgerOf, type Ledger } from './report-campaign.ts';
import { getCampaign, knownFields, reportMessageProblems } from './edit-campaign.ts';
import { overAudience } from './judged-message.ts';
import { namesOf } from './leaving-out.ts';
import { applyPace } from '../paces/claim-at-pace.ts';

/** A count that moved by more than this share since it was looked at is asked for again. */
const MOVED_SHARE = 0.01;

/**
 * Starts a campaign: the audience is worked out afresh, its ledger opened, and sending begins. `expected` is how many
 * the preflight said would get it, `inSpite` whom of them a service message reaches although they opted out, complained
 * or are at sunset; `version` the draft that it was of: what leaves is what was looked at. Who saves the
 * draft in the same moment comes before it, and it does not start, or after it, and cannot save.
 * @throws Problem message-unfit, nobody-left, count-moved, wrong-state
 */
export async function startCampaign(
  deps: Deps,
  id: number,
  { expected, inSpite = 0, version, actor }: { expected: number; inSpite?: number; version?: number; actor: string },
): Promise<Campaign> {
  const campaign = await getCampaign(deps, id);
  assertState(campaign, isHalted(campaign) ? ['paused'] : ['draft', 'scheduled'], 'started');
  if (version !== undefined && version !== campaign.version) throw changedMeanwhile(campaign);
  await begin(deps, campaign, { expected, inSpite, share: MOVED_SHARE, by: { actorKind: 'person', actor } });
  return getCampaign(deps, id);
}

/** Whether it was to start by itself, and did not: nothing of it has left. */
export const isHalted = ({ state, startedAt }: Campaign): boolean => state === 'paused' && startedAt === null;

/**
 * Works the audience out, opens the ledger and begins to send; whatever is thrown leaves everything as it was.
 * `share`: by how much the number who get it may differ from what was expected.
 * @throws Problem message-unfit, nobody-left, count-moved, bad-condition, wrong-state
 */
export async function begin(
  deps: Deps,
  campaign: Campaign,
  { expected, inSpite, share, by }: { expected: number; inSpite: number; share: number; by: CampaignMover },
): Promise<void> {
  const { id } = campaign;
  if (campaign.restDays !== null && !(await isCaughtUp(deps.database, 'mailed')))
    throw new Problem(
      'wrong-state',
      `“${campaign.name}” is not for whoever had a message in ${campaign.restDays} days, and what was sent before is still being counted. \`avendel tallies show\` says how far it is.`,
    );
  const problems = await reportMessageProblems(deps, campaign);
  if (problems.length > 0)
    throw new Problem('message-unfit', problems[0]!.message, { field: problems[0]!.field, extra: { problems } });
  const { message } = compileMessage(campaign, await knownFields(deps));
  await overAudience(deps, campaign, async (sql, judged, leavesOut) => {
    if (judged.purpose === 'service')
      assertInSpite(campaign, (await countReachedInSpite(sql, judged)).contacts, inSpite, share);
    await move(sql, campaign, [campaign.state], 'sending', null, by, campaign.version);
    await replaceLinks(sql, id, [{ number: TRAP_LINK, url: '' }, ...message.links]);
    await openLedger(sql, judged, namesOf(leavesOut));
    if (campaign.waves) await openWaves(sql, id, campaign.waves.length);
    await applyPace(sql, id, campaign.pace);
    await nameDomains(sql, id);
    assertAudience(campaign, ledgerOf((await countFigures(sql, [id])).get(id)!), expected, share);
  });
  deps.announce('send');
}

/** Whoever stands in the ledger is who was looked at, give or take a little; what is thrown takes the ledger back. */
function assertAudience(
  { name }: Campaign,
  { audience, waiting: willGet }: Ledger,
  expected: number,
  share: number,
): void {
  if (audience === 0) throw new Problem('nobody-left', `Nobody is in the audience of “${name}”.`, { field: 'listIds' });
  if (willGet === 0)
    throw new Problem('nobody-left', `All ${audience} contacts of “${name}” are held back. The preflight says why.`);
  if (Math.abs(willGet - expected) > expected * share)
    throw new Problem('count-moved', `${expected} were expected to get “${name}”; now it is ${willGet}.`, {
      extra: { expected, now: willGet },
    });
}

/** Whoever sends a service message has said how many it reaches although they want, or may get, no other. */
function assertInSpite({ name }: Campaign, reached: number, inSpite: number, share: number): void {
  if (Math.abs(reached - inSpite) <= inSpite * share) return;
  throw new Problem(
    'count-moved',
    `“${name}” reaches ${reached} who opted out, complained or are at sunset; ${inSpite} were said. Look at the preflight, and say how many it reaches in spite of that.`,
    { field: 'inSpite', extra: { expected: inSpite, now: reached } },
  );
}

/** Stops a send that is under way, with why; what is claimed goes back to waiting. @throws Problem wrong-state */
export async function pauseCampaign(deps: Deps, id: number, because: string, actor: string): Promise<Campaign> {
  await move(deps.database, await getCampaign(deps, id), ['sending', 'resting'], 'paused', because, {
    actorKind: 'person',
    actor,
  });
  return getCampaign(deps, id);
}

/**
 * Goes on with a paused send. After the brake with a reason: only messages accepted from then on count for it.
 * @throws Problem wrong-state, invalid-input without a reason after the brake
 */
export async function resumeCampaign(deps: Deps, id: number, actor: string, reason = ''): Promise<Campaign> {
  const campaign = await getCampaign(deps, id);
  if (isHalted(campaign))
    throw new Problem(
      'wrong-state',
      `“${campaign.name}” has not started: ${campaign.pausedBecause}. Look at its preflight and start it, or call it off.`,
    );
  const held = (await listWaves(deps.database, id)).find(({ wave, heldAt }) => wave === campaign.wave + 1 && heldAt);
  const { waiting, stopped } = await findWaiting(deps.database, id);
  if (campaign.state === 'paused' && held && !waiting)
    throw new Problem(
      'wrong-state',
      `Wave ${held.wave} of “${campaign.name}” is held: ${held.heldBecause}. Begin it with a reason, or cancel the rest.`,
    );
  if (campaign.state === 'paused' && stopped && !waiting && !held)
    throw new Problem(
      'wrong-state',
      `Nobody is left in “${campaign.name}” but who waits at domains that are stopped. Go on with one, call who waits there off, or cancel the rest.`,
    );
  await inTransaction(deps.database, async (sql) => {
    await waitForCampaign(sql, id);
    const braked = (await listOpenBrakes(sql, [id])).some(({ slice }) => domainOfSlice(slice) === null);
    if (campaign.state === 'paused' && braked && reason === '')
      throw new Problem(
        'invalid-input',
        `The brake stopped “${campaign.name}”: ${campaign.pausedBecause}. Going on needs a reason.`,
        { field: 'reason' },
      );
    await move(sql, campaign, ['paused'], 'sending', reason || null, { actorKind: 'person', actor });
    if (braked) await releaseBrakes(sql, id, null, { by: actor, reason });
    await setTrouble(sql, id, null);
  });
  deps.announce('send');
  return getCampaign(deps, id);
}

/** Cancels for good: who still waits gets nothing, and stays in the ledger as waiting. What was sent is not undone. */
export async function cancelCampaign(deps: Deps, id: number, actor: string): Promise<Campaign> {
  const campaign = await getCampaign(deps, id);
  await move(deps.database, campaign, ['draft', 'scheduled', 'sending', 'resting', 'paused'], 'cancelled', null, {
    actorKind: 'person',
    actor,
  });
  return getCampaign(deps, id);
}

/** Moves a campaign, or says why it cannot be. @throws Problem wrong-state */
export async function move(
  sql: Sql,
  campaign: Campaign,
  from: CampaignState[],
  to: CampaignState,
  because: string | null,
  by: CampaignMover,
  version?: number,
): Promise<void> {
  assertState(campaign, from, STATE_VERBS[to]);
  if (!(await moveCampaign(sql, campaign.id, from, to, because, by, version))) throw changedMeanwhile(campaign);
}

export function changedMeanwhile({ name }: Campaign): Problem {
  return new Problem(
    'wrong-state',
    `“${name}” was changed meanwhile, by you or somebody else. Nothing was done; look at it again.`,
  );
}

const STATE_VERBS: Record<CampaignState, string> = {
  draft: 'drafted',
  scheduled: 'scheduled',
  sending: 'started or resumed',
  resting: 'put to rest',
  paused: 'paused',
  finished: 'finished',
  cancelled: 'cancelled',
};

export function assertState(campaign: Campaign, states: CampaignState[], verb: string): void {
  if (!states.includes(campaign.state))
    throw new Problem(
      'wrong-state',
      `“${campaign.name}” is ${campaign.state}; only one that is ${states.join(' or ')} can be ${verb}.`,
    );
}
