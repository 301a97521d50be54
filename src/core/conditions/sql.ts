import { inEffectSql } from '../eligibility/in-effect.ts';
import { ACT_KINDS } from '../activity/judge-actor.ts';
import type { ScoreRule } from '../rules/score.ts';
import { DAY_MS, type SunsetRule } from '../rules/sunset-ladder.ts';
import { boundsOf, type Bounds, type ConditionClock } from './bounds.ts';
import type { ConditionNames } from './check-names.ts';
import type { ActName, Condition, EventTest, ValueTest, When } from './tree.ts';

/** What a condition is worked out with besides the contacts. */
export interface ConditionContext extends ConditionClock {
  brandId: number;
  names: ConditionNames;
  /** The brand's ladder: its acts end a silence, its grace is the newcomer's. */
  rule: SunsetRule;
  /** How the brand scores. */
  score: ScoreRule;
}

/** What the test of a condition reads besides `contact c`. */
export interface Needs {
  /** The brand's `activity a` of the contact, joined from the left. */
  activity: boolean;
  /** The brand's `contact_stage g` of the contact, joined from the left. */
  stage: boolean;
  /**
   * The CTE `measured` of everybody's silence, which must come before, with the messages of whoever is silent for so
   * many days, up to as many messages as are asked for; null where it is not read.
   */
  silence: { leastDays: number; messages: number } | null;
  /** The contact's `v (score)`, joined from the CTE `scored`, which must come before. */
  score: boolean;
  /** The table `mailable (id)`, which must be there. */
  mailable: boolean;
  /** The table `mailable_by_any (id)`, which must be there. */
  mailableByAny: boolean;
}

/**
 * The test of a condition over `contact c`, its parameters behind `firstParameter` - 1 others. What is not known counts
 * as false, also where it comes out as null.
 */
export interface ConditionSql {
  text: string;
  parameters: unknown[];
  needs: Needs;
}

/**
 * SQL text and parameters of a condition; the twin of evaluate.ts on sets, to which a differential test holds it.
 * Values are always parameters. Totals and latest instants are tested on the contact's activity as it is joined: asking
 * whether they are in a set of it took nine times as long where a condition says `never`. Each part that reads another
 * table asks whether the contact is in a set (`IN (SELECT …)`): that is hashed once under any `or` and `not`, where
 * EXISTS would be looked up contact by contact. `among` is an expression for the only contacts it is about: their rows
 * are then found by index.
 */
export function conditionSql(
  condition: Condition,
  context: ConditionContext,
  firstParameter: number,
  among: string | null = null,
): ConditionSql {
  const writer = new ConditionWriter(context, firstParameter, among);
  const text = writer.write(condition);
  return { text, parameters: writer.parameters, needs: writer.needs };
}

/**
 * The place, from 1, of the first of some conditions that a contact meets, as SQL: null for who meets none. Like
 * conditionSql, with one row of parameters for all.
 */
export function firstMetSql(
  conditions: readonly Condition[],
  context: ConditionContext,
  firstParameter: number,
  among: string | null = null,
): ConditionSql {
  const writer = new ConditionWriter(context, firstParameter, among);
  const cases = conditions.map((condition, index) => `WHEN ${writer.write(condition)} THEN ${index + 1}`);
  return { text: `CASE ${cases.join(' ')} END`, parameters: writer.parameters, needs: writer.needs };
}

/** Columns of the latest instants and of totals that answer an act of a person without reading events. */
const LATEST: Readonly<Record<string, readonly string[]>> = {
  sent: ['last_sent_at'],
  bounced: ['last_bounced_at'],
  opened: ['last_opened_at'],
  clicked: ['last_clicked_at'],
  replied: ['last_replied_at'],
  visited: ['last_visited_at'],
  purchased: ['last_purchased_at'],
  confirmed: ['last_confirmed_at'],
  subscribed: ['last_subscribed_at'],
  complained: ['last_complained_at'],
  read: ['last_opened_at', 'last_clicked_at'],
  engaged: [
    'last_opened_at',
    'last_clicked_at',
    'last_replied_at',
    'last_visited_at',
    'last_purchased_at',
    'last_confirmed_at',
    'last_subscribed_at',
  ],
};
const TOTALS: Readonly<Record<string, string>> = {
  sent: 'sent',
  delivered: 'delivered',
  delayed: 'delayed',
  opened: 'opened_human',
  clicked: 'clicked_human',
  complained: 'complained',
  unsubscribed: 'unsubscribed',
  visited: 'visited',
  purchased: 'purchased',
  replied: 'replied',
  bounced: 'bounced_hard + bounced_soft + bounced_block',
  read: 'opened_human + clicked_human',
};

/** Kinds of events that an act stands for. */
export const KINDS_OF_ACT: Readonly<Partial<Record<ActName, readonly string[]>>> = {
  read: ['opened', 'clicked'],
  engaged: ['opened', 'clicked', 'replied', 'visited', 'purchased', 'confirmed', 'subscribed'],
};

/** Writes parts of conditions as SQL with one row of parameters between them. */
export class ConditionWriter {
  readonly parameters: unknown[] = [];
  readonly needs: Needs = {
    activity: false,
    stage: false,
    silence: null,
    score: false,
    mailable: false,
    mailableByAny: false,
  };
  private readonly context: ConditionContext;
  private readonly first: number;
  private readonly among: string | null;

  constructor(context: ConditionContext, first: number, among: string | null = null) {
    this.context = context;
    this.first = first;
    this.among = among;
  }

  write(condition: Condition): string {
    switch (condition.kind) {
      case 'and':
      case 'or':
        return `(${condition.parts.map((part) => this.write(part)).join(condition.kind === 'and' ? ' AND ' : ' OR ')})`;
      case 'not':
        return `(NOT coalesce(${this.write(condition.part)}, false))`;
      case 'everyone':
        return 'true';
      case 'archived':
        return '(c.archived_at IS NOT NULL)';
      case 'automated':
        return `(c.id IN (SELECT contact_id FROM automated_address WHERE state = 'marked'${this.ofThem('contact_id')}))`;
      case 'newcomer':
        return this.newcomer();
      case 'mailable':
        this.needs.mailable = true;
        return '(c.id IN (SELECT id FROM mailable))';
      case 'mailable-by-any':
        this.needs.mailableByAny = true;
        return '(c.id IN (SELECT id FROM mailable_by_any))';
      case 'look-alike':
        return `(split_part(c.address, '@', 2) = ANY(${this.put(this.context.names.lookAlikeDomains)}::text[]))`;
      case 'segment':
        return this.segment(condition.name);
      case 'snapshot':
        return `(c.id IN (SELECT contact_id FROM snapshot_member WHERE snapshot_id = ${this.put(this.idOf(this.context.names.snapshots, condition.name))}::int${this.ofThem('contact_id')}))`;
      case 'field':
        return this.value(
          condition.field === 'domain' ? `split_part(c.address, '@', 2)` : `c.${condition.field}`,
          'text',
          condition.test,
        );
      case 'attribute':
        return this.attribute(condition.name, condition.test);
      case 'tagged':
        return `(c.tags @> ARRAY[${this.put(condition.tag)}::text])`;
      case 'list':
        return `(c.id IN (SELECT contact_id FROM subscription WHERE ${this.onList(condition.list)} AND state = ${this.put(condition.state)}::text${this.within('since', condition.since)}${this.ofThem('contact_id')}))`;
      case 'joined':
        return `(true${this.within('c.joined_at', condition.when)})`;
      case 'stage':
        this.needs.stage = true;
        return `(coalesce(g.stage, 'new') = ANY(${this.put(condition.are)}::text[]))`;
      case 'deliverability':
        return `(c.deliverability = ANY(${this.put(condition.are)}::text[]))`;
      case 'verdict':
        return `(coalesce(c.verdict = ANY(${this.put(condition.are)}::text[]), false))`;
      case 'suppressed':
        return this.suppressed(condition.on);
      case 'score':
        this.needs.score = true;
        return this.value('v.score', 'float8', condition.test);
      case 'silent':
        this.needs.silence = {
          leastDays: Math.min(this.needs.silence?.leastDays ?? Infinity, condition.days),
          messages: Math.max(this.needs.silence?.messages ?? 0, condition.messages),
        };
        return `(c.id IN (SELECT contact_id FROM measured WHERE ${this.passed('silent_since', condition.days)} AND messages >= ${this.put(condition.messages)}::int))`;
      case 'event':
        return this.event(condition.event);
    }
  }

  private onList(list: string | null): string {
    const { lists } = this.context.names;
    return list === null
      ? `list_id = ANY(${this.put(lists.map(({ id }) => id))}::int[])`
      : `list_id = ${this.put(this.idOf(lists, list))}::int`;
  }

  private ofThem(column: string): string {
    return this.among === null ? '' : ` AND ${column} = ANY(${this.among})`;
  }

  private put(value: unknown): string {
    this.parameters.push(value);
    return `$${this.first + this.parameters.length - 1}`;
  }

  private idOf(all: readonly { id: number; name: string }[], name: string): number {
    const found = all.find((one) => one.name === name);
    if (!found) throw new Error(`a name that was not checked: ${name}`);
    return found.id;
  }

  private newcomer(): string {
    const { days, messages } = this.context.rule.grace;
    this.needs.silence = { leastDays: 0, messages: this.needs.silence?.messages ?? 0 };
    return `(c.id IN (SELECT contact_id FROM measured WHERE NOT ${this.passed('joined_at', days)} OR ever < ${this.put(messages)}::int))`;
  }

  /** Whether so many whole days have passed since an instant. */
  private passed(instant: string, days: number): string {
    if (days === 0) return 'true';
    return `${instant} <= to_timestamp(${this.put((this.context.now - days * DAY_MS) / 1000)}::float8)`;
  }

  private segment(name: string): string {
    const inner = this.context.names.segments.get(name);
    if (!inner) throw new Error(`a segment that was not checked: ${name}`);
    return this.write(inner);
  }

  private bounds(column: string, { from, to }: Bounds): string {
    const at = (instant: number): string => `to_timestamp(${this.put(instant / 1000)}::float8)`;
    return `${from === null ? '' : ` AND ${column} >= ${at(from)}`}${to === null ? '' : ` AND ${column} < ${at(to)}`}`;
  }

  private within(column: string, when: When | null): string {
    return when === null ? '' : this.bounds(column, boundsOf(when, this.context));
  }

  private attribute(name: string, test: ValueTest): string {
    const type = this.context.names.attributes[name]?.type ?? 'text';
    const text = `(c.attributes->>${this.put(name)}::text)`;
    if (type === 'number')
      return this.value(
        `(CASE WHEN jsonb_typeof(c.attributes->${this.put(name)}::text) = 'number' THEN ${text}::float8 END)`,
        'float8',
        test,
      );
    if (type === 'yes-no')
      return this.value(
        `(CASE WHEN jsonb_typeof(c.attributes->${this.put(name)}::text) = 'boolean' THEN ${text}::boolean END)`,
        'boolean',
        test,
      );
    return this.value(type === 'date' ? `left${text.replace(/\)$/, ', 10)')}` : text, 'text', test);
  }

  /** A test of one expression; an absent value passes only `is not` and `is not set`. */
  private value(of: string, type: 'text' | 'float8' | 'boolean', test: ValueTest): string {
    if (test.compare === 'set') return `(${of} IS NOT NULL)`;
    if (test.compare === 'not set') return `(${of} IS NULL)`;
    const lower = (sql: string): string => (type === 'text' ? `lower(${sql} COLLATE "und-x-icu")` : sql);
    const all = test.values.map((value) => (typeof value === 'string' ? value.toLowerCase() : value));
    const first = (): string => `${this.put(all[0])}::${type}`;
    switch (test.compare) {
      case 'is':
        return `coalesce(${lower(of)} = ANY(${this.put(all)}::${type}[]), false)`;
      case 'is not':
        return `(NOT coalesce(${lower(of)} = ANY(${this.put(all)}::${type}[]), false))`;
      case 'contains':
        return `coalesce(strpos(${lower(of)}, ${first()}) > 0, false)`;
      case 'starts with':
        return `coalesce(starts_with(${lower(of)}, ${first()}), false)`;
      default:
        return `coalesce(${of}${type === 'text' ? ' COLLATE "C"' : ''} ${OPERATORS[test.compare]} ${first()}, false)`;
    }
  }

  private suppressed(on: string | null): string {
    const lists =
      on === null
        ? `l.scope = 'organisation' OR (l.scope = 'brand' AND l.scope_id = ${this.put(this.context.brandId)}::int)`
        : `l.id = ${this.put(this.idOf(this.context.names.suppressionLists, on))}::int`;
    const entries = (what: string, kind: string, more = ''): string =>
      `SELECT ${what} FROM suppression_entry e JOIN suppression_list l ON l.id = e.list_id WHERE (${lists}) AND e.kind = '${kind}' AND ${inEffectSql(`to_timestamp(${this.put(this.context.now / 1000)}::float8)`)}${more}`;
    // Whether there is any such entry at all is asked once, before each address is hashed or compared for it.
    const any = (kind: string, test: string, more = ''): string => `(EXISTS (${entries('', kind, more)}) AND ${test})`;
    const dotted = ` AND left(e.value, 1) = '.'`;
    return `(c.address IN (${entries('e.value', 'address')})
      OR (strpos(c.address, '+') > 1 AND split_part(c.address, '+', 1) || '@' || split_part(c.address, '@', 2) IN (${entries('e.value', 'address', ' AND NOT l.exact')}))
      OR ${any('hash', `encode(sha256(convert_to(c.address, 'UTF8')), 'hex') IN (${entries('e.value', 'hash')})`)}
      OR ${any('domain', `split_part(c.address, '@', 2) IN (${entries(`ltrim(e.value, '.')`, 'domain')})`)}
      OR ${any('domain', `EXISTS (${entries('', 'domain', `${dotted} AND right(c.address, length(e.value)) = e.value`)})`, dotted)})`;
  }

  private event(event: EventTest): string {
    const kept = this.fromActivity(event);
    if (kept !== undefined) return kept;
    const least = event.least ?? (event.most === null ? 1 : 0);
    const from = `FROM event e${event.sinceLast === null ? '' : ` LEFT JOIN activity a ON a.contact_id = e.contact_id AND a.brand_id = ${this.put(this.context.brandId)}::int`}`;
    const tests = `${this.eventTests(event)}${this.ofThem('e.contact_id')}`;
    if (event.which !== 'any')
      return `(c.id IN (SELECT e.contact_id ${from} WHERE ${tests} GROUP BY 1 HAVING true${this.within(`${event.which === 'first' ? 'min' : 'max'}(e.occurred_at)`, event.when)}))`;
    const set = (having: string): string =>
      `c.id IN (SELECT e.contact_id ${from} WHERE ${tests}${this.within('e.occurred_at', event.when)}${having})`;
    const enough =
      least === 0 ? undefined : set(least === 1 ? '' : ` GROUP BY 1 HAVING count(*) >= ${this.put(least)}::int`);
    const tooOften =
      event.most === null ? undefined : `NOT ${set(` GROUP BY 1 HAVING count(*) > ${this.put(event.most)}::int`)}`;
    return `(${[enough, tooOften].filter((one) => one !== undefined).join(' AND ') || 'true'})`;
  }

  private eventTests(event: EventTest): string {
    const kinds = KINDS_OF_ACT[event.act] ?? [event.act];
    const judged = `e.kind NOT IN (${ACT_KINDS.map((kind) => `'${kind}'`).join(', ')}) OR e.actor = 'human'`;
    return [
      `e.kind = ANY(${this.put(kinds)}::event_kind[])`,
      ...(event.brand === 'own' ? [`e.brand_id = ${this.put(this.context.brandId)}::int`] : []),
      ...(event.by === 'machines' ? [`e.actor = 'machine'`] : event.by === 'people' ? [`e.actor = 'human'`] : []),
      ...(KINDS_OF_ACT[event.act] ? [`(${judged})`] : []),
      ...(event.class === null ? [] : [`e.detail->>'class' = ${this.put(event.class)}::text`]),
      ...(event.campaign === null
        ? []
        : [`e.campaign_id = ${this.put(this.idOf(this.context.names.campaigns, event.campaign))}::int`]),
      ...(event.list === null
        ? []
        : [
            `e.campaign_id IN (SELECT k.id FROM campaign k WHERE k.list_ids @> ARRAY[${this.put(this.idOf(this.context.names.lists, event.list))}::int])`,
          ]),
      ...(event.link === null
        ? []
        : [`strpos(lower(e.detail->>'url'), ${this.put(event.link.toLowerCase())}::text) > 0`]),
      ...(event.what === null
        ? []
        : [`strpos(lower(e.detail->>'what'), ${this.put(event.what.toLowerCase())}::text) > 0`]),
      ...(event.sinceLast === null ? [] : [`e.occurred_at > coalesce(${latestOf(event.sinceLast)}, '-infinity')`]),
    ].join(' AND ');
  }

  /** The same from the totals and latest instants, where they say it; nothing where events have to be read. */
  private fromActivity(event: EventTest): string | undefined {
    const { act, by, which, when, least, most } = event;
    const narrowed =
      event.class !== null ||
      event.campaign !== null ||
      event.list !== null ||
      event.link !== null ||
      event.what !== null ||
      event.sinceLast !== null ||
      event.brand !== 'own';
    if (narrowed || (by !== null && by !== 'people') || which === 'first') return undefined;
    const mine = (test: string): string => {
      this.needs.activity = true;
      return `(${test})`;
    };
    const latest = LATEST[act] ? latestOf(act) : undefined;
    const bounds = when === null ? undefined : boundsOf(when, this.context);
    const once = (least ?? 1) === 1 && most === null;
    if (which === 'last')
      return latest === undefined ? undefined : mine(`${latest} IS NOT NULL${this.bounds(latest, bounds!)}`);
    if (bounds?.to === null && once && latest !== undefined)
      return mine(`${latest} >= to_timestamp(${this.put(bounds.from! / 1000)}::float8)`);
    if (when !== null) return undefined;
    if (once && latest !== undefined) return mine(`${latest} IS NOT NULL`);
    const total = TOTALS[act];
    if (total === undefined) return undefined;
    const wanted = least ?? (most === null ? 1 : 0);
    const enough = wanted === 0 ? undefined : mine(`${total} >= ${this.put(wanted)}::int`);
    const tooOften = most === null ? undefined : `(NOT coalesce(${mine(`${total} > ${this.put(most)}::int`)}, false))`;
    return `(${[enough, tooOften].filter((one) => one !== undefined).join(' AND ') || 'true'})`;
  }
}

function latestOf(act: ActName): string {
  const columns = LATEST[act]!.map((column) => `a.${column}`);
  return columns.length === 1 ? columns[0]! : `greatest(${columns.join(', ')})`;
}

const OPERATORS = {
  'more than': '>',
  'less than': '<',
  'at least': '>=',
  'at most': '<=',
  before: '<',
  after: '>',
} as const;
