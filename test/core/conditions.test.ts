import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { boundsOf } from '../../src/core/conditions/bounds.ts';
import { reportLogicProblems } from '../../src/core/conditions/check-logic.ts';
import { reportNameProblems, type ConditionNames } from '../../src/core/conditions/check-names.ts';
import { formatCondition } from '../../src/core/conditions/format-condition.ts';
import { readTree } from '../../src/core/conditions/read-tree.ts';
import { parseCondition } from '../../src/core/conditions/parse-condition.ts';
import {
  UnreadableCondition,
  withoutSpans,
  type Condition,
  type ConditionProblem,
  type When,
} from '../../src/core/conditions/tree.ts';
import { anyCondition } from '../support/conditions.ts';

const NAMES = {
  lists: ['Night Digest', 'Members’ Letter'],
  campaigns: ['The "December" sky'],
  suppressionLists: ['Do not write'],
  segments: ['Readers'],
  snapshots: ['Then'],
  attributes: { text: 'tier', number: 'visits', date: 'born', yesNo: 'member' },
  tags: ['moon \\ walk'],
  texts: ['a', 'Ω"x\\'],
  days: ['2026-03-29', '2025-12-31'],
};

function problemOf(text: string): ConditionProblem & { at: string } {
  try {
    parseCondition(text);
  } catch (error) {
    if (!(error instanceof UnreadableCondition)) throw error;
    return { ...error.problem, at: text.slice(error.problem.from, error.problem.to) };
  }
  throw new Error(`was read: ${text}`);
}

describe('text and tree', () => {
  test('every condition comes back from its canonical text, and from its JSON; the canonical text is its own', () => {
    fc.assert(
      fc.property(anyCondition(NAMES), (condition) => {
        const text = formatCondition(condition);
        const read = withoutSpans(parseCondition(text));
        expect(formatCondition(read)).toBe(text);
        expect(flat(read)).toEqual(flat(condition));
        expect(JSON.parse(JSON.stringify(read))).toEqual(read);
      }),
      { numRuns: 500 },
    );
  });

  test.each([
    [
      'Clicked  in the last 30 days # readers\nAND on list “Night Digest”',
      'clicked in the last 30 days and on list "Night Digest"',
    ],
    ['not (opened) and never clicked link containing "map"', 'never opened and never clicked link containing "map"'],
    ['sent at least 4 times in the last 1 week', 'sent at least 4 times in the last 1 week'],
    [
      'bounced soft at least 2 times from 2026-10-01 to 2026-10-31',
      'bounced soft at least 2 times from 2026-10-01 to 2026-10-31',
    ],
    ['stage is one of (dormant, fading)', 'stage is one of (fading, dormant)'],
    ['attribute "visits" is at least 3', 'attribute "visits" is at least 3'],
    ['(silent for 90 days with at least 8 messages)', 'silent for 90 days with at least 8 messages'],
    ['WAITING on any list and not may be mailed', 'waiting on any list and may not be mailed'],
    ['not in snapshot "Then" and domain looks mistyped', 'not in snapshot "Then" and domain looks mistyped'],
  ])('%s', (text, canonical) => {
    expect(formatCondition(parseCondition(text))).toBe(canonical);
  });
});

/** Chains in chains of the same kind, which brackets make, are one and the same. */
const flat = (condition: Condition): unknown =>
  JSON.parse(JSON.stringify(condition, (key, value: unknown) => (key === 'span' ? undefined : value)));

describe('what cannot be read is said with its place and what was expected', () => {
  test.each<[string, string, string, RegExp]>([
    [
      'opened and clicked or archived',
      'mixed',
      'or',
      /\(opened and clicked\) or archived, or opened and \(clicked or archived\)/,
    ],
    ['clickd in the last 30 days', 'unexpected', 'clickd', /Did you mean “clicked”/],
    ['clicked in the last 30 fortnights', 'unexpected', 'fortnights', /hours, days, weeks/],
    ['in the last 30 days clicked', 'unexpected', 'in', /a part of a condition/],
    ['clicked in the last 1000000 days', 'out-of-range', '1000000', /1 to 36,500/],
    ['joined in the lst 30 days', 'unexpected', 'lst', /Did you mean “last”/],
    ['joined before 2026-02-30', 'impossible-date', '2026-02-30', /no day 2026-02-30/],
    ['clicked from 2026-03-01 to 2026-02-01', 'impossible-date', 'to 2026-02-01', /earlier day first/],
    ['on list Night Digest', 'unexpected', 'night', /name of a list in quotation marks/i],
    ['tagged "never closed', 'unreadable', '"', /never closed/],
    ['silent 90 days', 'unexpected', '90', /^Here should be “for”, but “90” stands there/],
    ['may be maild', 'unexpected', 'maild', /Did you mean “mailed”/],
    ['(opened', 'unexpected', '', /“\)”, but the condition ends/],
    ['', 'unexpected', '', /a condition/],
    ['opened; DROP TABLE contact', 'unreadable', ';', /means nothing/],
    ['replied by machines', 'unexpected', 'machines', /not of “replied”/],
    ['first opened', 'unexpected', 'first opened', /Say when/],
    [
      'opened at least 3 times at most 2 times',
      'out-of-range',
      'opened at least 3 times at most 2 times',
      /Nothing is both/,
    ],
    ['x'.repeat(30_000), 'too-long', 'x'.repeat(10_000), /at most 20,000/],
    ['('.repeat(10_000), 'too-deep', '(', /40 deep/],
  ])('%.40s', (text, code, at, message) => {
    expect(problemOf(text)).toMatchObject({ code, message: expect.stringMatching(message) as unknown });
    expect(problemOf(text).at.toLowerCase()).toBe(at);
  });

  test('any text gives a condition or a problem, never anything else', () => {
    const words = fc.constantFrom(
      'opened',
      'and',
      'or',
      'not',
      '(',
      ')',
      '"x"',
      '30',
      'days',
      'in the last',
      '2026-01-01',
      'list',
      'on',
      'is',
      'one of',
      ',',
      '“',
      '\\',
      "'",
      '--',
      ';',
      '\u0000',
    );
    fc.assert(
      fc.property(
        fc.array(fc.oneof(words, fc.string({ unit: 'binary', maxLength: 5 })), { maxLength: 20 }),
        (parts) => {
          const text = parts.join(' ');
          try {
            expect(formatCondition(parseCondition(text))).not.toBe('');
          } catch (error) {
            if (!(error instanceof UnreadableCondition)) throw error;
            expect(error.problem.from).toBeLessThanOrEqual(error.problem.to);
          }
        },
      ),
      { numRuns: 2000 },
    );
  });
});

test('the tree as JSON comes back as the same condition; what is none is refused', () => {
  fc.assert(
    fc.property(anyCondition(NAMES), (generated) => {
      const condition = parseCondition(formatCondition(generated));
      const tree = JSON.parse(JSON.stringify(withoutSpans(condition))) as Record<string, unknown>;
      expect(withoutSpans(readTree(tree))).toEqual(withoutSpans(condition));
    }),
    { numRuns: 500 },
  );
  const clicked = withoutSpans(parseCondition('clicked in the last 30 days')) as unknown as Record<string, unknown>;
  for (const tree of [
    null,
    3,
    'clicked',
    [],
    {},
    { kind: 'tagged' },
    { kind: 'segment', name: 7 },
    { ...clicked, more: 1 },
    { kind: 'and', parts: [clicked] },
    { kind: 'field', field: 'id', test: { compare: 'set' } },
  ])
    expect(() => readTree(tree)).toThrow('not the tree of a condition');
});

describe('what is read and still wrong', () => {
  const segments = new Map<string, Condition>([
    ['Readers', parseCondition('opened or segment "Keen"')],
    ['Keen', parseCondition('clicked and segment "Best"')],
  ]);
  const names: ConditionNames = {
    lists: [{ id: 1, name: 'Night Digest' }],
    suppressionLists: [],
    campaigns: [],
    segments,
    snapshots: [{ id: 1, name: 'Then', takenAt: 0 }],
    lookAlikeDomains: [],
    attributes: {
      visits: { type: 'number' },
      tier: { type: 'choice', choices: ['friend', 'patron'] },
      born: { type: 'date' },
    },
  };
  const said = (text: string, own?: string): string[] =>
    reportNameProblems(parseCondition(text), names, own).map(({ code, message }) => `${code}: ${message}`);

  test('names that are not there, with the nearest; tests that a type does not allow; segments that ask for themselves', () => {
    expect(said('on list "Nigth Digest" and attribute "visit" is at least 3')).toEqual([
      'unknown-name: There is no list “Nigth Digest”. Did you mean “Night Digest”?',
      'unknown-name: There is no attribute “visit”. Did you mean “visits”?',
    ]);
    expect(said('attribute "visits" contains "3"')).toEqual([
      expect.stringContaining('visits is a number: ask whether it'),
    ]);
    expect(said('attribute "visits" is "three" or attribute "born" is before 2000-01-01')).toEqual([
      'wrong-type: visits is a number: compare it with a number.',
    ]);
    expect(said('attribute "tier" is "freind"')).toEqual([
      'unknown-name: There is no choice of tier “freind”. Did you mean “friend”?',
    ]);
    expect(said('segment "Then" and in snapshot "Than"')).toEqual([
      'unknown-name: “Then” is a snapshot, frozen once, and no segment: say “in snapshot "Then"” if that is meant.',
      'unknown-name: There is no snapshot “Than”. Did you mean “Then”?',
    ]);
    expect(said('segment "Readers"', 'Best')).toEqual(
      [
        'unknown-name: There is no segment “Best”.',
        'cycle: The segment would ask for itself: “Best” → “Readers” → “Keen” → “Best”.',
      ].slice(1),
    );
    const doubling = new Map(
      Array.from({ length: 30 }, (_, index) => [
        `S${index}`,
        parseCondition(index === 0 ? 'opened' : `segment "S${index - 1}" and segment "S${index - 1}"`),
      ]),
    );
    expect(reportNameProblems(parseCondition('segment "S29"'), { ...names, segments: doubling })).toMatchObject([
      { code: 'too-deep' },
    ]);
    expect(said('attribute "constructor" is set')).toEqual(['unknown-name: There is no attribute “constructor”.']);
  });

  test('parts that are always true, always false, or add nothing', () => {
    const codes = (text: string): string[] => reportLogicProblems(parseCondition(text)).map(({ code }) => code);
    expect(codes('not suppressed or not archived')).toEqual(['always-true']);
    expect(codes('opened or never opened')).toEqual(['always-true']);
    expect(codes('opened and (clicked or archived) and not opened')).toEqual(['always-false']);
    expect(codes('opened or (opened and clicked)')).toEqual(['swallowed']);
    expect(codes('opened and opened')).toEqual(['swallowed']);
    expect(codes('not suppressed and not archived')).toEqual([]);
  });
});

test('days begin at midnight in the zone, over changes of the clocks too; hours are counted from now', () => {
  const clock = { now: Date.parse('2026-03-30T10:30:00Z'), zone: 'Europe/Lisbon' };
  const of = (when: When): (string | null)[] =>
    Object.values(boundsOf(when, clock)).map((at: number | null) => (at === null ? null : new Date(at).toISOString()));
  // Summer time began there on the 29th at one o'clock.
  expect(of({ kind: 'last', count: 1, unit: 'days' })).toEqual(['2026-03-29T00:00:00.000Z', null]);
  expect(of({ kind: 'ago', count: 1, unit: 'months' })).toEqual([null, '2026-02-28T00:00:00.000Z']);
  expect(of({ kind: 'between', first: '2026-03-29', last: '2026-03-29' })).toEqual([
    '2026-03-29T00:00:00.000Z',
    '2026-03-29T23:00:00.000Z',
  ]);
  expect(of({ kind: 'last', count: 2, unit: 'hours' })).toEqual(['2026-03-30T08:30:00.000Z', null]);
});
