import { windowProblem } from '../../core/sending/send-window.ts';
import { wavePlanProblem } from '../../core/sending/wave-plan.ts';
import { statementProblem } from '../../core/message/check-message.ts';
import { compileMessage, STANDARD_FIELDS, type PlacedProblem } from '../../core/message/compile-message.ts';
import { inTransaction, violates } from '../../store/database.ts';
import { nameDomains } from '../../store/statements/tallies.ts';
import { CampaignEntity, type Campaign } from '../../store/entities/campaign.ts';
import { BrandEntity, ListEntity } from '../../store/entities/organisation.ts';
import { deleteDraft } from '../../store/statements/campaigns.ts';
import { listAttributeNames } from '../../store/statements/contact-attributes.ts';
import { listSegments } from '../../store/statements/segments.ts';
import {
  carryName,
  findNamingExclusions,
  findNamingLadder,
  findNamingSegments,
  findNamingWaves,
} from '../segments/name-users.ts';
import type { Deps } from '../deps.ts';
import { assertVersion, found, Problem } from '../problem.ts';
import { remember } from '../remember.ts';
import { checkWaves } from './judged-message.ts';

/** What the author of a campaign gives. */
export type CampaignDraft = Pick<
  Campaign,
  | 'brandId'
  | 'name'
  | 'purpose'
  | 'subject'
  | 'html'
  | 'text'
  | 'listIds'
  | 'leftOutListIds'
  | 'segmentIds'
  | 'leftOutSegmentIds'
> &
  Partial<
    Pick<
      Campaign,
      'priority' | 'restDays' | 'sendWindow' | 'waves' | 'pace' | 'format' | 'previewLine' | 'countLinks' | 'statement'
    >
  >;

/** @throws Problem name-taken, bad-condition, invalid-input, not-found */
export async function createCampaign(deps: Deps, draft: CampaignDraft): Promise<Campaign> {
  await assertAudience(deps, draft);
  await assertTimes(deps, draft);
  return saving(
    () => deps.database.getRepository(CampaignEntity).save({ ...draft, state: 'draft' as const, sentElsewhere: false }),
    draft.name,
  );
}

/**
 * Records a campaign that another system sent, so that events can name it; it is finished from the start, and its
 * ledger fills from `sent` events.
 */
export async function recordCampaign(deps: Deps, draft: CampaignDraft & { startedAt: Date }): Promise<Campaign> {
  await assertAudience(deps, draft);
  const finished = {
    ...draft,
    // Of what has left already nothing is to be timed.
    sendWindow: null,
    waves: null,
    pace: null,
    state: 'finished' as const,
    sentElsewhere: true,
    finishedAt: draft.startedAt,
  };
  await remember(deps, 'named domains', NAMED_FOR_MS, () => nameDomains(deps.database, null));
  return saving(() => deps.database.getRepository(CampaignEntity).save(finished), draft.name);
}

/** Whoever tells of many campaigns of the past has the domains of the base counted once. */
const NAMED_FOR_MS = 10_000;

/**
 * Changes a draft; fields that are not given stay. A new name goes into the segments, and the ladder, that speak of it.
 * @param change with the version that was looked at, to change no other
 * @throws Problem wrong-state, changed-meanwhile, name-taken, invalid-input, not-found
 */
export async function changeCampaign(
  deps: Deps,
  id: number,
  change: Partial<CampaignDraft> & { version?: number },
  actor: string,
): Promise<Campaign> {
  const { brandId: _, version, ...changes } = change;
  const seen = await getCampaign(deps, id);
  await assertAudience(deps, { ...seen, ...changes });
  await assertTimes(deps, { ...seen, ...changes });
  return saving(
    () =>
      inTransaction(deps.database, async (sql) => {
        const campaigns = sql.getRepository(CampaignEntity);
        // Held until it is saved: who starts it meanwhile waits, and finds another version than they looked at.
        const campaign = found(
          await campaigns.findOne({ where: { id }, lock: { mode: 'pessimistic_write' } }),
          `campaign ${id}`,
        );
        if (campaign.state !== 'draft')
          throw new Problem('wrong-state', `“${campaign.name}” is ${campaign.state}; only a draft can be changed.`);
        assertVersion(version, `“${campaign.name}”`, campaign);
        const name = changes.name ?? campaign.name;
        if (name !== campaign.name)
          await carryName(sql, campaign.brandId, { kind: 'campaign', name: campaign.name }, name, actor);
        await campaigns.update({ id }, { ...changes, version: campaign.version + 1 });
        return found(await campaigns.findOneBy({ id }), `campaign ${id}`);
      }),
    changes.name ?? seen.name,
  );
}

/**
 * Deletes a draft for good. What was started stays, with its ledger; it can be cancelled.
 * @param version the one that was looked at, to delete no other
 * @throws Problem wrong-state when it is no draft, or segments speak of it; changed-meanwhile, not-found
 */
export async function removeDraft(deps: Deps, id: number, version?: number): Promise<void> {
  await inTransaction(deps.database, async (sql) => {
    // Held until it is gone: who starts it meanwhile waits, and finds none.
    const campaign = found(
      await sql.getRepository(CampaignEntity).findOne({ where: { id }, lock: { mode: 'pessimistic_write' } }),
      `campaign ${id}`,
    );
    if (campaign.state !== 'draft')
      throw new Problem('wrong-state', `“${campaign.name}” is ${campaign.state}; only a draft can be deleted.`);
    assertVersion(version, `“${campaign.name}”`, campaign);
    const thing = { kind: 'campaign' as const, name: campaign.name };
    const ladder = await findNamingLadder(sql, campaign.brandId, thing);
    const users = (await findNamingSegments(sql, campaign.brandId, thing)).map(({ name }) => `“${name}”`);
    if (ladder) users.push('the ladder of its brand');
    for (const { name } of await findNamingExclusions(sql, campaign.brandId, thing)) users.push(`“${name}”`);
    for (const { name } of await findNamingWaves(sql, campaign.brandId, thing)) users.push(`the waves of “${name}”`);
    if (users.length > 0)
      throw new Problem('wrong-state', `“${campaign.name}” is spoken of by ${users.join(', ')}. Change those first.`);
    await deleteDraft(sql, id);
  });
}

/** @throws Problem not-found */
export async function getCampaign(deps: Deps, id: number): Promise<Campaign> {
  return found(await deps.database.getRepository(CampaignEntity).findOneBy({ id }), `campaign ${id}`);
}

/** Names that can stand in a message: the standard fields and every attribute that some contact has. */
export async function knownFields(deps: Deps): Promise<Set<string>> {
  return new Set([...STANDARD_FIELDS, ...(await listAttributeNames(deps.database))]);
}

/** What keeps a message from being sent: of its text, or of why it is a service message. */
export type MessageProblem =
  PlacedProblem | { code: 'no-statement'; at: 0; end: 0; field: 'statement'; message: string };

/** Everything that keeps a message from being sent as it is, each at its place. */
export async function reportMessageProblems(
  deps: Deps,
  campaign: Pick<Campaign, 'subject' | 'previewLine' | 'html' | 'text' | 'format' | 'purpose' | 'statement'>,
): Promise<MessageProblem[]> {
  const { problems } = compileMessage(campaign, await knownFields(deps));
  const unstated = statementProblem(campaign.purpose, campaign.statement);
  return unstated
    ? [{ code: 'no-statement', at: 0, end: 0, field: 'statement', message: unstated }, ...problems]
    : problems;
}

/** A draft as it is kept, with what keeps it from being sent as it is. */
export async function withProblems(deps: Deps, campaign: Campaign): Promise<Campaign & { problems: MessageProblem[] }> {
  return { ...campaign, problems: await reportMessageProblems(deps, campaign) };
}

async function assertAudience(
  deps: Deps,
  draft: Pick<CampaignDraft, 'brandId' | 'listIds' | 'leftOutListIds' | 'segmentIds' | 'leftOutSegmentIds'>,
): Promise<void> {
  const brand = found(
    await deps.database.getRepository(BrandEntity).findOneBy({ id: draft.brandId }),
    `brand ${draft.brandId}`,
  );
  if (draft.listIds.length + draft.segmentIds.length === 0)
    throw new Problem('invalid-input', 'No list and no segment is taken in.', { field: 'listIds' });
  const lists = await deps.database.getRepository(ListEntity).findBy({ brandId: brand.id });
  const segments = await listSegments(deps.database, brand.id);
  for (const [what, field, ids, others, all] of [
    ['List', 'listIds', draft.listIds, [], lists],
    ['List', 'leftOutListIds', draft.leftOutListIds, draft.listIds, lists],
    ['Segment', 'segmentIds', draft.segmentIds, [], segments],
    ['Segment', 'leftOutSegmentIds', draft.leftOutSegmentIds, draft.segmentIds, segments],
  ] as const) {
    const stranger = ids.find((id) => !all.some((one) => one.id === id));
    if (stranger !== undefined)
      throw new Problem('invalid-input', `${what} ${stranger} is not one of ${brand.name}.`, { field });
    const both = ids.find((id) => (others as readonly number[]).includes(id));
    if (both !== undefined)
      throw new Problem('invalid-input', `${what} ${both} is both taken in and left out.`, { field });
  }
}

/** When it is sent, and in which parts, makes sense. @throws Problem invalid-input, bad-condition */
async function assertTimes(
  deps: Deps,
  { brandId, sendWindow, waves }: Pick<CampaignDraft, 'brandId' | 'sendWindow' | 'waves'>,
): Promise<void> {
  const closed = sendWindow ? windowProblem(sendWindow) : undefined;
  if (closed) throw new Problem('invalid-input', closed, { field: 'sendWindow' });
  const wrong = waves ? wavePlanProblem(waves) : undefined;
  if (wrong) throw new Problem('invalid-input', `Wave ${wrong.wave}: ${wrong.problem}`, { field: 'waves' });
  await checkWaves(deps, { brandId, waves: waves ?? null });
}

async function saving<T>(save: () => Promise<T>, name: string): Promise<T> {
  try {
    return await save();
  } catch (error) {
    if (violates(error, 'campaign_name_key'))
      throw new Problem('name-taken', `There is a campaign “${name}” of this brand.`, { field: 'name' });
    throw error;
  }
}
