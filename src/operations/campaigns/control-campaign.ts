import { compileMessage, TRAP_LINK } from '../../core/message/compile-message.ts';
import type { CampaignState } from '../../shared/words.ts';
import type { Sql } from '../../store/sql.ts';
import type { Campaign } from '../../store/entities/campaign.ts';
import { moveCampaign, replaceLinks, setTrouble, type CampaignMover } from '../../store/statements/campaigns.ts';
import { isCaughtUp } from '../../store/statements/catching-up.ts';
import { countFigures, nameDomains } from '../../store/statements/tallies.ts';
import { openLedger } from '../../store/statements/deliveries.ts';
import type { Deps } from '../deps.ts';
import { Problem } from '../problem.ts';
import { ledgerOf, type Ledger } from './report-campaign.ts';
import { getCampaign, knownFields, reportMessageProblems } from './edit-campaign.ts';
import { overAudience } from './judged-message.ts';
import { namesOf } from './leaving-out.ts';

/** A count that moved by more than this share since it was looked at is asked for again. */
const MOVED_SHARE = 0.01;

/**
 * Starts a campaign: the audience is worked out afresh, its ledger opened, and sending begins. `expected` is how many
 * the preflight said would get it, `version` the draft that it was of: what leaves is what was looked at. Who saves the
 * draft in the same moment comes before it, and it does not start, or after it, and cannot save.
 * @throws Problem message-unfit, nobody-left, count-moved, wrong-state
 */
export async function startCampaign(
  deps: Deps,
  id: number,
  { expected, version, actor }: { expected: number; version?: number; actor: string },
): Promise<Campaign> {
  const campaign = await getCampaign(deps, id);
  assertState(campaign, ['draft'], 'started');
  if (version !== undefined && version !== campaign.version) throw changedMeanwhile(campaign);
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
    await move(sql, campaign, ['draft'], 'sending', null, { actorKind: 'person', actor }, campaign.version);
    await replaceLinks(sql, id, [{ number: TRAP_LINK, url: '' }, ...message.links]);
    await openLedger(sql, judged, namesOf(leavesOut));
    await nameDomains(sql, id);
    assertAudience(campaign, ledgerOf((await countFigures(sql, [id])).get(id)!), expected);
  });
  deps.announce('send');
  return getCampaign(deps, id);
}

/** Whoever stands in the ledger is who was looked at, give or take a little; what is thrown takes the ledger back. */
function assertAudience({ name }: Campaign, { audience, waiting: willGet }: Ledger, expected: number): void {
  if (audience === 0) throw new Problem('nobody-left', `Nobody is in the audience of “${name}”.`, { field: 'listIds' });
  if (willGet === 0)
    throw new Problem('nobody-left', `All ${audience} contacts of “${name}” are held back. The preflight says why.`);
  if (Math.abs(willGet - expected) > expected * MOVED_SHARE)
    throw new Problem('count-moved', `${expected} were expected to get “${name}”; now it is ${willGet}.`, {
      extra: { expected, now: willGet },
    });
}

/** Stops a send that is under way, with why; what is claimed goes back to waiting. @throws Problem wrong-state */
export async function pauseCampaign(deps: Deps, id: number, because: string, actor: string): Promise<Campaign> {
  await move(deps.database, await getCampaign(deps, id), ['sending'], 'paused', because, {
    actorKind: 'person',
    actor,
  });
  return getCampaign(deps, id);
}

/** Goes on with a paused send. @throws Problem wrong-state */
export async function resumeCampaign(deps: Deps, id: number, actor: string): Promise<Campaign> {
  const campaign = await getCampaign(deps, id);
  await move(deps.database, campaign, ['paused'], 'sending', null, { actorKind: 'person', actor });
  await setTrouble(deps.database, id, null);
  deps.announce('send');
  return getCampaign(deps, id);
}

/** Cancels for good: who still waits gets nothing, and stays in the ledger as waiting. What was sent is not undone. */
export async function cancelCampaign(deps: Deps, id: number, actor: string): Promise<Campaign> {
  await move(deps.database, await getCampaign(deps, id), ['draft', 'sending', 'paused'], 'cancelled', null, {
    actorKind: 'person',
    actor,
  });
  return getCampaign(deps, id);
}

async function move(
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

function changedMeanwhile({ name }: Campaign): Problem {
  return new Problem(
    'wrong-state',
    `“${name}” was changed meanwhile, by you or somebody else. Nothing was done; look at it again.`,
  );
}

const STATE_VERBS: Record<CampaignState, string> = {
  draft: 'drafted',
  scheduled: 'scheduled',
  sending: 'started or resumed',
  paused: 'paused',
  finished: 'finished',
  cancelled: 'cancelled',
};

function assertState(campaign: Campaign, states: CampaignState[], verb: string): void {
  if (!states.includes(campaign.state))
    throw new Problem(
      'wrong-state',
      `“${campaign.name}” is ${campaign.state}; only one that is ${states.join(' or ')} can be ${verb}.`,
    );
}
