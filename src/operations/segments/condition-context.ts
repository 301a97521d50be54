import { reportLogicProblems } from '../../core/conditions/check-logic.ts';
import {
  partsOf,
  reportNameProblems,
  reportStaleSnapshots,
  type ConditionNames,
} from '../../core/conditions/check-names.ts';
import type { AttributeType } from '../../core/import/map-columns.ts';
import { parseCondition } from '../../core/conditions/parse-condition.ts';
import { readTree } from '../../core/conditions/read-tree.ts';
import type { ConditionContext } from '../../core/conditions/sql.ts';
import { UnreadableCondition, type Condition, type ConditionProblem } from '../../core/conditions/tree.ts';
import { BrandEntity, ListEntity } from '../../store/entities/organisation.ts';
import { findNamedCampaigns, findSuppressionNames } from '../../store/statements/conditions.ts';
import { listTags } from '../../store/statements/contacts.ts';
import { listAttributeTypes } from '../../store/statements/contact-attributes.ts';
import { findSunsetRule } from '../../store/statements/rules.ts';
import { findSegment, listSegments } from '../../store/statements/segments.ts';
import { listSnapshots } from '../../store/statements/snapshots.ts';
import { listMistypedDomains } from '../addresses/domain-facts.ts';
import type { Deps } from '../deps.ts';
import { found, Problem } from '../problem.ts';
import { getScoreRule } from '../scores/score-rule.ts';

/** A condition that has been read and checked, with all that is needed to work it out. */
export interface CheckedCondition {
  condition: Condition;
  context: ConditionContext;
  /** What is odd about it and does not stand in the way. */
  warnings: ConditionProblem[];
}

/** The text of a condition, or its tree as JSON. */
export type GivenCondition = string | Record<string, unknown>;

/**
 * Reads and checks a condition for a brand. `own` is the name of the segment that it is of.
 * @throws Problem bad-condition with every problem and its place, not-found
 */
export async function checkCondition(
  deps: Deps,
  brandId: number,
  given: GivenCondition,
  own?: string,
): Promise<CheckedCondition> {
  const condition = readCondition(given);
  const context = await makeContext(deps, brandId, condition);
  const problems = reportNameProblems(condition, context.names, own);
  if (problems.length > 0) throw badCondition(problems);
  const warnings = [...reportLogicProblems(condition), ...reportStaleSnapshots(condition, context.names, context.now)];
  return { condition, context, warnings };
}

/** Names that a condition of a brand can use: what somebody who writes one is offered. */
export async function listConditionNames(
  deps: Deps,
  brandId: number,
): Promise<
  Record<'lists' | 'segments' | 'snapshots' | 'suppressionLists' | 'campaigns' | 'tags', string[]> & {
    attributes: Record<string, AttributeType>;
  }
> {
  found(await deps.database.getRepository(BrandEntity).findOneBy({ id: brandId }), `brand ${brandId}`);
  const { lists, suppressionLists, campaigns, segments, snapshots, attributes } = await findNames(deps, brandId, {
    kind: 'everyone',
  });
  const named = (all: readonly { name: string }[]): string[] => all.map(({ name }) => name);
  return {
    lists: named(lists),
    segments: [...segments.keys()],
    snapshots: named(snapshots),
    suppressionLists: named(suppressionLists),
    campaigns: named(campaigns),
    tags: await listTags(deps.database),
    attributes: { ...attributes },
  };
}

/** Segments of a brand, read and checked as they are now. @throws Problem bad-condition, not-found */
export async function checkSegments(deps: Deps, brandId: number, ids: number[]): Promise<CheckedCondition[]> {
  const checked: CheckedCondition[] = [];
  for (const id of ids) {
    const segment = found(await findSegment(deps.database, id), `segment ${id}`);
    if (segment.brandId !== brandId) throw new Problem('not-found', `Segment ${id} is of another brand.`);
    checked.push(await checkCondition(deps, brandId, segment.condition, segment.name));
  }
  return checked;
}

/** What two conditions of one brand are worked out with together: each knows the campaigns that it names. */
export function together(one: ConditionContext, other: ConditionContext): ConditionContext {
  const [names, more] = [one.names, other.names];
  const campaigns = new Map([...names.campaigns, ...more.campaigns].map((campaign) => [campaign.name, campaign]));
  const lookAlikeDomains = names.lookAlikeDomains.length > 0 ? names.lookAlikeDomains : more.lookAlikeDomains;
  return { ...one, names: { ...names, campaigns: [...campaigns.values()], lookAlikeDomains } };
}

function readCondition(given: GivenCondition): Condition {
  try {
    return typeof given === 'string' ? parseCondition(given) : readTree(given);
  } catch (error) {
    if (error instanceof UnreadableCondition) throw badCondition([error.problem]);
    throw error;
  }
}

function badCondition(problems: ConditionProblem[]): Problem {
  return new Problem('bad-condition', problems.map(({ message }) => message).join(' '), {
    field: 'condition',
    extra: { problems },
  });
}

async function makeContext(deps: Deps, brandId: number, condition: Condition): Promise<ConditionContext> {
  const brand = found(await deps.database.getRepository(BrandEntity).findOneBy({ id: brandId }), `brand ${brandId}`);
  const { rule } = await findSunsetRule(deps.database, brandId);
  const { rule: score } = await getScoreRule(deps.database, brandId);
  return {
    now: deps.now().getTime(),
    zone: brand.zone,
    brandId,
    names: await findNames(deps, brandId, condition),
    rule,
    score,
  };
}

async function findNames(deps: Deps, brandId: number, condition: Condition): Promise<ConditionNames> {
  const lists = await deps.database.getRepository(ListEntity).findBy({ brandId });
  const suppressionLists = await findSuppressionNames(deps.database, brandId);
  // A segment was checked when it was kept; one that can no longer be read is as good as not there.
  const segments = new Map(
    (await listSegments(deps.database, brandId)).flatMap((one) => {
      try {
        return [[one.name, parseCondition(one.condition)] as const];
      } catch {
        return [];
      }
    }),
  );
  const asked = [condition, ...segments.values()].flatMap((one) => [...partsOf(one)]);
  const campaigns = await findNamedCampaigns(
    deps.database,
    brandId,
    asked.flatMap((part) => (part.kind === 'event' && part.event.campaign !== null ? [part.event.campaign] : [])),
  );
  const snapshots = (await listSnapshots(deps.database, { brandId })).map(({ id, name, takenAt }) => ({
    id,
    name,
    takenAt: takenAt.getTime(),
  }));
  const lookAlikeDomains = asked.some(({ kind }) => kind === 'look-alike') ? await listMistypedDomains(deps) : [];
  return {
    lists,
    suppressionLists,
    campaigns,
    segments,
    snapshots,
    lookAlikeDomains,
    attributes: await listAttributeTypes(deps.database),
  };
}
