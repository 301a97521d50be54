import { domainOf } from '../address/domain-of.ts';
import type {
  Actor,
  Deliverability,
  EventKind,
  OutsideVerdict,
  Reason,
  Stage,
  SubscriptionState,
} from '../../shared/words.ts';
import { JUDGED } from '../activity/judge-actor.ts';
import { scoreOf } from '../rules/score.ts';
import { boundsOf, type Bounds } from './bounds.ts';
import { line } from './format-condition.ts';
import { KINDS_OF_ACT, type ConditionContext } from './sql.ts';
import type { ActName, Condition, EventTest, ValueTest } from './tree.ts';

/** One event as conditions see it. Instants are milliseconds since the epoch. */
export interface EventFact {
  kind: EventKind;
  at: number;
  actor: Actor;
  brandId: number;
  campaignId: number | null;
  /** Lists that its campaign took in. */
  listIds: number[];
  detail: { class?: string | null; url?: string | null; what?: string | null } | null;
}

/** All that a condition can ask of one contact. */
export interface ContactFacts {
  address: string;
  name: string | null;
  attributes: Record<string, unknown>;
  tags: string[];
  joinedAt: number;
  archived: boolean;
  automated: boolean;
  /** Why marketing of the brand may not reach them now; null where it may, or was not asked for. */
  heldBack: Reason | null;
  /** Names of the brands that may. */
  mailableBy: readonly string[];
  /** Numbers of the snapshots that they are in. */
  snapshots: number[];
  deliverability: Deliverability;
  verdict: OutsideVerdict | null;
  /** Of the brand. */
  stage: Stage | null;
  /** As the brand's ladder measures it now; null where it does not cover the contact. */
  silence: { stage: Stage; silentDays: number; messages: number } | null;
  subscriptions: { listId: number; state: SubscriptionState; since: number }[];
  /** Suppression lists with an entry in effect that matches the address. */
  entries: { listId: number; scope: string; scopeId: number | null }[];
  events: EventFact[];
}

/** Whether a part holds, why in words, and the same of the parts it is made of. */
export interface Explained {
  holds: boolean;
  text: string;
  because: string;
  parts: Explained[];
}

/** Works a condition out on one contact, with the facts that decide each part; the twin of sql.ts. */
export function evaluate(condition: Condition, facts: ContactFacts, context: ConditionContext): Explained {
  const text = line(condition);
  const say: Say = (holds, because, parts = []) => ({ holds, text, because, parts });
  switch (condition.kind) {
    case 'and':
    case 'or': {
      const parts = condition.parts.map((part) => evaluate(part, facts, context));
      const holds = condition.kind === 'and' ? parts.every((part) => part.holds) : parts.some((part) => part.holds);
      const deciding = parts.find((part) => part.holds === (condition.kind === 'or'));
      return say(holds, deciding?.because ?? together(parts), parts);
    }
    case 'not': {
      const inner = evaluate(condition.part, facts, context);
      return say(!inner.holds, inner.because, inner.parts.length > 0 ? [inner] : []);
    }
    default:
      return ofPart(condition, say, facts, context);
  }
}

/** Kinds of a part that is not put together of others. */
type Kind = Exclude<Condition['kind'], 'and' | 'or' | 'not'>;
type PartOf<K extends Kind> = { [P in Condition as P['kind']]: P }[K];
type Judge<K extends Kind> = (say: Say, facts: ContactFacts, part: PartOf<K>, context: ConditionContext) => Explained;

function ofPart<K extends Kind>(part: PartOf<K>, say: Say, facts: ContactFacts, context: ConditionContext): Explained {
  return (PARTS[part.kind] as Judge<K>)(say, facts, part, context);
}

const PARTS: { readonly [K in Kind]: Judge<K> } = {
  everyone: (say) => say(true, 'everyone is meant'),
  archived: (say, { archived }) => say(archived, archived ? 'is archived' : 'is not archived'),
  automated: (say, { automated }) => say(automated, automated ? 'looks automated' : 'is not taken for automated'),
  mailable: (say, { heldBack }) =>
    say(heldBack === null, heldBack === null ? 'may be mailed now' : `may not be mailed now: ${heldBack}`),
  'mailable-by-any': (say, { mailableBy }) =>
    say(
      mailableBy.length > 0,
      mailableBy.length > 0 ? `may be mailed by ${mailableBy.join(' and ')}` : 'may not be mailed by any brand',
    ),
  'look-alike': (say, { address }, _, { names }) => {
    const domain = domainOf(address);
    const holds = names.lookAlikeDomains.includes(domain);
    return say(holds, holds ? `${domain} looks like a slip` : `${domain} does not look like a slip`);
  },
  snapshot: (say, { snapshots }, part, { names }) => {
    const holds = snapshots.includes(names.snapshots.find(({ name }) => name === part.name)!.id);
    return say(holds, holds ? 'was in it when it was frozen' : 'was not in it when it was frozen');
  },
  segment: (say, facts, { name }, context) => {
    const inner = evaluate(context.names.segments.get(name)!, facts, context);
    return say(inner.holds, inner.because, [inner]);
  },
  field: (say, facts, { field, test }) => ofValue(say, fieldOf(facts, field), test, field),
  attribute: (say, facts, { name, test }, context) => ofAttribute(say, facts, name, test, context),
  tagged: (say, { tags }, { tag }) =>
    say(tags.includes(tag), tags.length === 0 ? 'has no tag' : `tagged ${tags.join(', ')}`),
  list: ofList,
  joined: (say, { joinedAt }, { when }, context) =>
    say(isWithin(joinedAt, boundsOf(when, context)), `joined ${ago(joinedAt, context)}`),
  stage: (say, { stage }, { are }) => say(are.includes(stage ?? 'new'), `stage is ${stage ?? 'new'}`),
  deliverability: (say, { deliverability }, { are }) =>
    say(are.includes(deliverability), `deliverability is ${deliverability}`),
  verdict: (say, { verdict }, { are }) =>
    say(
      verdict !== null && are.includes(verdict),
      verdict === null ? 'no verifier said anything' : `verdict is ${verdict}`,
    ),
  suppressed: (say, facts, { on }, context) => ofSuppression(say, facts, on, context),
  newcomer: (say, { silence }) =>
    say(silence?.stage === 'new', silence?.stage === 'new' ? 'is within the newcomer’s grace' : 'is no newcomer'),
  score: (say, facts, { test }, context) => ofScore(say, facts, test, context),
  silent: (say, { silence }, { days, messages }) =>
    say(
      silence !== null && silence.silentDays >= days && silence.messages >= messages,
      silence === null
        ? 'is on no list of the brand'
        : `silent for ${silence.silentDays} days with ${silence.messages} messages`,
    ),
  event: (say, facts, { event }, context) => ofEvent(say, facts, event, context),
};

const LONGEST_REASON = 160;

/** The facts of all parts, where none of them alone decides. */
function together(parts: Explained[]): string {
  const all = [...new Set(parts.map(({ because }) => because))].join('; ');
  return all.length > LONGEST_REASON ? `${all.slice(0, LONGEST_REASON)}…` : all;
}

type Say = (holds: boolean, because: string, parts?: Explained[]) => Explained;

function fieldOf({ address, name }: ContactFacts, field: 'name' | 'address' | 'domain'): string | null {
  if (field === 'domain') return domainOf(address);
  return field === 'name' ? name : address;
}

function ofAttribute(
  say: Say,
  facts: ContactFacts,
  name: string,
  test: ValueTest,
  { names }: ConditionContext,
): Explained {
  const type = names.attributes[name]?.type ?? 'text';
  const value = Object.hasOwn(facts.attributes, name) ? facts.attributes[name] : null;
  if (type === 'number') return ofValue(say, typeof value === 'number' ? value : null, test, name);
  if (type === 'yes-no') return ofValue(say, typeof value === 'boolean' ? value : null, test, name);
  const text = value === null || value === undefined ? null : typeof value === 'string' ? value : JSON.stringify(value);
  return ofValue(say, type === 'date' && text !== null ? text.slice(0, 10) : text, test, name);
}

function ofValue(say: Say, value: string | number | boolean | null, test: ValueTest, name: string): Explained {
  const words =
    value === null
      ? `${name} is not set`
      : `${name} is ${typeof value === 'string' ? `“${value}”` : typeof value === 'boolean' ? (value ? 'yes' : 'no') : String(value)}`;
  return say(passes(value, test), words);
}

function passes(value: string | number | boolean | null, test: ValueTest): boolean {
  if (test.compare === 'set') return value !== null;
  if (test.compare === 'not set') return value === null;
  const folded = (one: string | number | boolean): string | number | boolean =>
    typeof one === 'string' ? one.toLowerCase() : one;
  const among = value !== null && test.values.some((one) => folded(one) === folded(value));
  if (test.compare === 'is' || test.compare === 'is not') return among === (test.compare === 'is');
  const [wanted] = test.values;
  if (value === null || wanted === undefined || typeof value !== typeof wanted) return false;
  switch (test.compare) {
    case 'contains':
      return String(folded(value)).includes(String(folded(wanted)));
    case 'starts with':
      return String(folded(value)).startsWith(String(folded(wanted)));
    case 'more than':
    case 'after':
      return value > wanted;
    case 'less than':
    case 'before':
      return value < wanted;
    case 'at least':
      return value >= wanted;
    case 'at most':
      return value <= wanted;
  }
}

function ofList(
  say: Say,
  facts: ContactFacts,
  { list, state, since }: Condition & { kind: 'list' },
  context: ConditionContext,
): Explained {
  const meant = context.names.lists.filter(({ name }) => list === null || name === list);
  const ofThem = facts.subscriptions.filter((one) => meant.some(({ id }) => id === one.listId));
  const holds = (one: (typeof ofThem)[number]): boolean =>
    one.state === state && (since === null || isWithin(one.since, boundsOf(since, context)));
  const found = ofThem.find(holds) ?? ofThem[0];
  if (!found) return say(false, list === null ? 'never on any list' : `never on ${list}`);
  return say(
    holds(found),
    `${found.state} on ${meant.find(({ id }) => id === found.listId)!.name}, since ${ago(found.since, context)}`,
  );
}

function ofSuppression(
  say: Say,
  { entries }: ContactFacts,
  on: string | null,
  { brandId, names }: ConditionContext,
): Explained {
  const lists = entries.filter((entry) =>
    on === null
      ? entry.scope === 'organisation' || (entry.scope === 'brand' && entry.scopeId === brandId)
      : entry.listId === names.suppressionLists.find(({ name }) => name === on)!.id,
  );
  const called = lists.map(
    ({ listId }) => names.suppressionLists.find(({ id }) => id === listId)?.name ?? String(listId),
  );
  return say(lists.length > 0, lists.length === 0 ? 'no entry in effect' : `on ${[...new Set(called)].join(', ')}`);
}

/** With what the score is made of: `score is 20: 10 for clicked 2 times, 10 for joining`. */
function ofScore(
  say: Say,
  facts: ContactFacts,
  test: ValueTest,
  { brandId, score: rule, now }: ConditionContext,
): Explained {
  const { score, parts } = scoreOf(rule, brandId, facts, now);
  const made = parts.map(
    ({ of, times, points }) =>
      `${points} for ${of}${of === 'joining' ? '' : times === 1 ? ' once' : ` ${times} times`}`,
  );
  return say(passes(score, test), `score is ${score}${made.length === 0 ? '' : `: ${made.join(', ')}`}`);
}

function ofEvent(say: Say, facts: ContactFacts, event: EventTest, context: ConditionContext): Explained {
  const matching = facts.events.filter((one) => isMeant(one, event, facts.events, context));
  const bounds = event.when === null ? ALWAYS : boundsOf(event.when, context);
  const latest = greatest(matching.map(({ at }) => at));
  const last = latest === undefined ? `never ${event.act}` : `last ${event.act} ${ago(latest, context)}`;
  if (event.which !== 'any') {
    const which = event.which === 'last' ? latest : least(matching.map(({ at }) => at));
    const because = which === undefined ? `never ${event.act}` : `${event.which} ${event.act} ${ago(which, context)}`;
    return say(which !== undefined && isWithin(which, bounds), because);
  }
  const times = matching.filter(({ at }) => isWithin(at, bounds)).length;
  const wanted = event.least ?? (event.most === null ? 1 : 0);
  const holds = times >= wanted && (event.most === null || times <= event.most);
  const counts = event.least !== null || event.most !== null;
  return say(holds, counts ? `${event.act} ${times} times` : last);
}

const ALWAYS: Bounds = { from: null, to: null };

function isMeant(one: EventFact, event: EventTest, all: EventFact[], { brandId, names }: ConditionContext): boolean {
  const holds = (part: string | null, text: string | null | undefined): boolean =>
    part === null || (typeof text === 'string' && text.toLowerCase().includes(part.toLowerCase()));
  return (
    isAct(one, event.act) &&
    (event.brand === 'any' || one.brandId === brandId) &&
    (event.by === null || event.by === 'anyone' || one.actor === (event.by === 'people' ? 'human' : 'machine')) &&
    (event.class === null || one.detail?.class === event.class) &&
    (event.campaign === null || one.campaignId === names.campaigns.find(({ name }) => name === event.campaign)!.id) &&
    (event.list === null || one.listIds.includes(names.lists.find(({ name }) => name === event.list)!.id)) &&
    holds(event.link, one.detail?.url) &&
    holds(event.what, one.detail?.what) &&
    (event.sinceLast === null || one.at > (latestAct(all, event.sinceLast, brandId) ?? -Infinity))
  );
}

/** Whether an event is one of an act; of those that stand for several kinds, a person's only. */
function isAct(one: EventFact, act: ActName): boolean {
  const kinds = KINDS_OF_ACT[act];
  return kinds ? kinds.includes(one.kind) && (!JUDGED.has(one.kind) || one.actor === 'human') : one.kind === act;
}

function latestAct(all: EventFact[], act: ActName, brandId: number): number | undefined {
  return greatest(
    all
      .filter((one) => one.brandId === brandId && isAct(one, act) && (!JUDGED.has(one.kind) || one.actor === 'human'))
      .map(({ at }) => at),
  );
}

function greatest(instants: number[]): number | undefined {
  return instants.length === 0 ? undefined : instants.reduce((a, b) => Math.max(a, b));
}

function least(instants: number[]): number | undefined {
  return instants.length === 0 ? undefined : instants.reduce((a, b) => Math.min(a, b));
}

function isWithin(at: number, { from, to }: Bounds): boolean {
  return (from === null || at >= from) && (to === null || at < to);
}

/** `94 days ago`, `today`. */
function ago(at: number, { now }: { now: number }): string {
  const days = Math.floor((now - at) / 86_400_000);
  return days <= 0 ? 'less than a day ago' : `${days} ${days === 1 ? 'day' : 'days'} ago`;
}
