import fc from 'fast-check';
import { ACTS, LATEST_ACTS } from '../../src/core/conditions/parse-event.ts';
import type { ActName, Condition, EventTest, ValueTest, When } from '../../src/core/conditions/tree.ts';
import { DELIVERABILITIES, OUTSIDE_VERDICTS, STAGES } from '../../src/shared/words.ts';

/** Names that generated conditions use. */
export interface KnownNames {
  lists: string[];
  campaigns: string[];
  suppressionLists: string[];
  segments: string[];
  snapshots: string[];
  attributes: { text: string; number: string; date: string; yesNo: string };
  tags: string[];
  texts: string[];
  days: string[];
}

/** Conditions over every construct of the language, with these names. */
export function anyCondition(names: KnownNames): fc.Arbitrary<Condition> {
  const { tree } = fc.letrec<{ tree: Condition }>((tie) => ({
    tree: fc.oneof(
      { depthSize: 'small', withCrossShrink: true },
      anyPart(names),
      fc.record({ kind: fc.constant('not' as const), part: tie('tree') }),
      fc.record({
        kind: fc.constantFrom('and' as const, 'or' as const),
        parts: fc.array(tie('tree'), { minLength: 2, maxLength: 3 }),
      }),
    ),
  }));
  return tree;
}

function anyPart(names: KnownNames): fc.Arbitrary<Condition> {
  const when = anyWhen(names.days);
  const of = <T>(values: readonly T[]): fc.Arbitrary<T> => fc.constantFrom(...values);
  const some = <T>(values: readonly T[]): fc.Arbitrary<T[]> => fc.subarray([...values], { minLength: 1, maxLength: 2 });
  const kind = <K extends Condition['kind']>(name: K): fc.Arbitrary<K> => fc.constant(name);
  const text = anyTextTest(names.texts);
  const number: fc.Arbitrary<ValueTest> = fc.record({
    compare: of(['is', 'is not', 'more than', 'less than', 'at least', 'at most'] as const),
    values: fc.tuple(fc.integer({ min: 0, max: 9 })),
  });
  const date: fc.Arbitrary<ValueTest> = fc.record({
    compare: of(['is', 'before', 'after'] as const),
    values: fc.tuple(of(names.days)),
  });
  const yesNo: fc.Arbitrary<ValueTest> = fc.record({
    compare: of(['is', 'is not'] as const),
    values: fc.tuple(fc.boolean()),
  });
  const set: fc.Arbitrary<ValueTest> = fc.oneof(
    fc.constant({ compare: 'set' as const }),
    fc.constant({ compare: 'not set' as const }),
  );
  const attribute = (name: string, test: fc.Arbitrary<ValueTest>): fc.Arbitrary<Condition> =>
    fc.record({ kind: kind('attribute'), name: fc.constant(name), test: fc.oneof(test, set) });
  return fc.oneof(
    { weight: 8, arbitrary: fc.record({ kind: kind('event'), event: anyEvent(names) }) },
    fc.record({
      kind: of(['everyone', 'archived', 'automated', 'newcomer', 'mailable', 'mailable-by-any', 'look-alike'] as const),
    }),
    fc.record({ kind: kind('segment'), name: of(names.segments) }),
    fc.record({ kind: kind('snapshot'), name: of(names.snapshots) }),
    fc.record({ kind: kind('field'), field: of(['name', 'address', 'domain'] as const), test: fc.oneof(text, set) }),
    attribute(names.attributes.text, text),
    attribute(names.attributes.number, number),
    attribute(names.attributes.date, date),
    attribute(names.attributes.yesNo, yesNo),
    fc.record({ kind: kind('tagged'), tag: of(names.tags) }),
    fc.record({
      kind: kind('list'),
      list: fc.option(of(names.lists)),
      state: of(['subscribed', 'pending', 'unsubscribed'] as const),
      since: fc.option(when),
    }),
    fc.record({ kind: kind('joined'), when }),
    fc.record({ kind: kind('stage'), are: some(STAGES) }),
    fc.record({ kind: kind('deliverability'), are: some(DELIVERABILITIES) }),
    fc.record({ kind: kind('verdict'), are: some(OUTSIDE_VERDICTS) }),
    fc.record({ kind: kind('suppressed'), on: fc.option(of(names.suppressionLists)) }),
    fc.record({
      kind: kind('score'),
      test: fc.record({
        compare: of(['is', 'is not', 'more than', 'less than', 'at least', 'at most'] as const),
        values: fc.tuple(fc.integer({ min: -5, max: 40 })),
      }),
    }),
    fc.record({
      kind: kind('silent'),
      days: fc.integer({ min: 1, max: 120 }),
      messages: fc.integer({ min: 0, max: 4 }),
    }),
  );
}

function anyWhen(days: string[]): fc.Arbitrary<When> {
  const unit = fc.constantFrom('hours' as const, 'days' as const, 'weeks' as const, 'months' as const);
  const day = fc.constantFrom(...days);
  return fc.oneof(
    fc.record({ kind: fc.constantFrom('last' as const, 'ago' as const), count: fc.integer({ min: 1, max: 70 }), unit }),
    fc.record({ kind: fc.constantFrom('before' as const, 'since' as const), day }),
    fc.tuple(day, day).map(([a, b]) => ({ kind: 'between' as const, first: a < b ? a : b, last: a < b ? b : a })),
  );
}

function anyTextTest(texts: string[]): fc.Arbitrary<ValueTest> {
  const text = fc.constantFrom(...texts);
  return fc.oneof(
    fc.record({
      compare: fc.constantFrom('is' as const, 'is not' as const),
      values: fc.array(text, { minLength: 1, maxLength: 2 }),
    }),
    fc.record({ compare: fc.constantFrom('contains' as const, 'starts with' as const), values: fc.tuple(text) }),
  );
}

const JUDGED: readonly ActName[] = ['opened', 'clicked', 'visited'];

function anyEvent(names: KnownNames): fc.Arbitrary<EventTest> {
  // Narrowed in one way or two, seldom more: an event that has to be everything at once is none.
  const ways = ['sinceLast', 'class', 'campaign', 'list', 'link', 'what'] as const;
  const kept = fc.oneof(
    { weight: 2, arbitrary: fc.constant<(typeof ways)[number][]>([]) },
    { weight: 3, arbitrary: fc.subarray([...ways], { minLength: 1, maxLength: 2 }) },
  );
  const times = fc.oneof(
    { weight: 3, arbitrary: fc.constant({ least: null, most: null }) },
    fc.integer({ min: 1, max: 4 }).map((least) => ({ least, most: null })),
    fc.integer({ min: 0, max: 3 }).map((most) => ({ least: null, most })),
    fc.integer({ min: 0, max: 3 }).map((both) => ({ least: both, most: both })),
  );
  return fc
    .record({
      act: fc.constantFrom(...ACTS),
      by: fc.constantFrom('people' as const, 'anyone' as const, 'machines' as const),
      times,
      which: fc.constantFrom('any' as const, 'any' as const, 'first' as const, 'last' as const),
      when: fc.option(anyWhen(names.days)),
      sinceLast: fc.constantFrom(...LATEST_ACTS),
      class: fc.constantFrom('hard' as const, 'soft' as const, 'block' as const),
      campaign: fc.constantFrom(...names.campaigns),
      list: fc.constantFrom(...names.lists),
      link: fc.constantFrom('map', 'LARK'),
      what: fc.constantFrom('Planisphere', 'x'),
      brand: fc.constantFrom('own' as const, 'own' as const, 'any' as const),
      kept,
    })
    .map(({ times: { least, most }, kept: narrowed, ...given }): EventTest => {
      const off = Object.fromEntries(ways.filter((way) => !narrowed.includes(way)).map((way) => [way, null]));
      const event = { ...given, ...off } as typeof given & EventTest;
      const counted = event.which === 'any' || event.when === null;
      return {
        ...event,
        least: counted ? least : null,
        most: counted ? most : null,
        which: event.when === null ? 'any' : event.which,
        by: JUDGED.includes(event.act) ? event.by : null,
        class: event.act === 'bounced' ? event.class : null,
        link: event.act === 'clicked' ? event.link : null,
      };
    });
}
