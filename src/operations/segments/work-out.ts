import { normalOrGiven } from '../../core/address/normal-form.ts';
import { asks } from '../../core/conditions/check-names.ts';
import { evaluate, type Explained } from '../../core/conditions/evaluate.ts';
import type { ConditionContext } from '../../core/conditions/sql.ts';
import { formatCondition } from '../../core/conditions/format-condition.ts';
import { findLongAgo } from '../../core/conditions/never-acted.ts';
import { withoutSpans, type Condition, type ConditionProblem } from '../../core/conditions/tree.ts';
import type { Stage } from '../../shared/words.ts';
import type { Sql } from '../../store/sql.ts';
import {
  breakDownMatching,
  countLines,
  countMailable,
  countMatching,
  findContactFacts,
  sampleMatching,
  type CountedLine,
  type MatchingContact,
} from '../../store/statements/conditions.ts';
import { findContactIds } from '../../store/statements/contacts.ts';
import type { Deps } from '../deps.ts';
import { Problem } from '../problem.ts';
import { checkCondition, type CheckedCondition, type GivenCondition } from './condition-context.ts';
import { withinTime } from './within-time.ts';

/** A condition worked out on everybody, without anything being written. */
export interface ConditionPreview {
  /** The canonical text, and the tree. */
  text: string;
  tree: Condition;
  /** Everybody who is not erased. */
  contacts: number;
  matching: number;
  /** Of these, who may get marketing of the brand now. */
  mailable: number;
  lines: CountedLine[];
  warnings: ConditionProblem[];
  sample: (MatchingContact & { because: string })[];
  /** Who match, by stage and by the largest domains. */
  stages: { stage: Stage; contacts: number }[];
  domains: { domain: string; contacts: number }[];
}

export interface ConditionRequest {
  brandId: number;
  condition: GivenCondition;
}

const SAMPLE = 20;
/**
 * Counts every part of a condition, with a sample and the facts that decided it.
 * @throws Problem bad-condition, took-too-long, not-found
 */
export async function previewCondition(
  deps: Deps,
  { brandId, condition: text }: ConditionRequest,
): Promise<ConditionPreview> {
  const checked = await checkCondition(deps, brandId, text);
  const { condition, context } = checked;
  const { never, ...counted } = await withinTime(deps, async (sql) => ({
    never: await countNeverActed(sql, condition, context),
    ...(await countLines(sql, condition, context)),
    mailable: await countMailable(sql, condition, context),
    ...(await breakDownMatching(sql, brandId)),
    sample: await sampleMatching(sql, condition, context, SAMPLE),
  }));
  const matching = counted.lines[0]!.alone;
  const sample = [];
  for (const one of counted.sample) sample.push({ ...one, because: (await explain(deps, checked, one.id)).because });
  const warnings = [...checked.warnings, ...reportByCounts(counted.lines, counted.contacts), ...never];
  return { text: formatCondition(condition), tree: withoutSpans(condition), ...counted, matching, warnings, sample };
}

/** That who never did something is not among those who last did it long ago, and how many they are. */
async function countNeverActed(sql: Sql, condition: Condition, context: ConditionContext): Promise<ConditionProblem[]> {
  const notes: ConditionProblem[] = [];
  for (const { part, never } of findLongAgo(condition)) {
    const contacts = await countMatching(sql, never, context);
    if (contacts === 0) continue;
    const [said, other] = [formatCondition(part), formatCondition(never)];
    notes.push({
      code: 'never-acted',
      from: part.span?.from ?? 0,
      to: part.span?.to ?? 0,
      message: `Who never did it is not among “${said}”: ${contacts.toLocaleString('en-GB')} contacts. With “or ${other}” they are.`,
      warning: true,
    });
  }
  return notes;
}

/** Parts that in fact match everybody, nobody, or change nothing. */
function reportByCounts(lines: CountedLine[], contacts: number): ConditionProblem[] {
  if (contacts === 0 || lines.length === 1) return [];
  return lines.flatMap((line, index): ConditionProblem[] => {
    if (index === 0 || line.text === 'everyone') return [];
    const all = line.alone === contacts;
    if (!all && line.alone !== 0) return [];
    const message = all ? `“${line.text}” matches every contact there is.` : `“${line.text}” matches nobody.`;
    return [{ code: all ? 'always-true' : 'always-false', from: 0, to: 0, message, warning: true }];
  });
}

/**
 * Whether one address matches, and why: each part with the fact that decided it.
 * @throws Problem bad-condition, not-found
 */
export async function explainCondition(
  deps: Deps,
  request: ConditionRequest & { address: string },
): Promise<Explained & { contactId: number }> {
  const checked = await checkCondition(deps, request.brandId, request.condition);
  const address = normalOrGiven(request.address);
  const contactId = (await findContactIds(deps.database, [address])).get(address);
  if (contactId === undefined) throw new Problem('not-found', `There is no contact ${request.address}.`);
  return { contactId, ...(await explain(deps, checked, contactId)) };
}

async function explain(deps: Deps, { condition, context }: CheckedCondition, contactId: number): Promise<Explained> {
  const asked = (...kinds: Condition['kind'][]): boolean =>
    kinds.some((kind) => asks(kind, condition, context.names.segments));
  const facts = await findContactFacts(deps.database, contactId, context, {
    mailable: asked('mailable'),
    mailableByAny: asked('mailable-by-any'),
    silence: asked('silent', 'newcomer'),
  });
  if (!facts) throw new Problem('not-found', `Contact ${contactId} is erased.`);
  return evaluate(condition, facts, context);
}
