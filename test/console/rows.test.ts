import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import {
  changeRow,
  listParts,
  makeGroup,
  makePart,
  readRows,
  writeRows,
} from '../../src/console/pages/segments/rows.ts';
import { cutIntoSlots, putIntoSlot } from '../../src/console/pages/segments/slots.ts';
import { completePart, suggestParts } from '../../src/console/pages/segments/suggestions.ts';
import { formatCondition } from '../../src/core/conditions/format-condition.ts';
import { parseCondition } from '../../src/core/conditions/parse-condition.ts';
import { previewSql } from '../../src/core/conditions/preview-sql.ts';
import type { ConditionContext } from '../../src/core/conditions/sql.ts';
import type { Condition } from '../../src/core/conditions/tree.ts';
import { DEFAULT_SCORE_RULE } from '../../src/core/rules/score.ts';
import { DEFAULT_SUNSET_RULE } from '../../src/core/rules/sunset-ladder.ts';
import { anyCondition } from '../support/conditions.ts';

const id = (name: string) => ({ id: 1, name });
const names = {
  lists: ['Night Digest'],
  campaigns: ['Digest 1'],
  suppressionLists: ['Do not write'],
  segments: ['Readers'],
  snapshots: ['Then'],
  attributes: { text: 'tier', number: 'visits', date: 'born', yesNo: 'member' },
  tags: ['moon'],
  texts: ['a "b"', 'x'],
  days: ['2026-03-29'],
};
const context: ConditionContext = {
  now: 0,
  zone: 'UTC',
  brandId: 1,
  rule: DEFAULT_SUNSET_RULE,
  score: DEFAULT_SCORE_RULE,
  names: {
    lists: [id('Night Digest')],
    campaigns: [id('Digest 1')],
    suppressionLists: [id('Do not write')],
    segments: new Map<string, Condition>([['Readers', { kind: 'everyone' }]]),
    snapshots: [{ ...id('Then'), takenAt: 0 }],
    lookAlikeDomains: [],
    attributes: {},
  },
};

test('rows of any counted condition write back the same condition, each row at its place and with its line', () => {
  fc.assert(
    fc.property(anyCondition(names), (generated) => {
      const condition = parseCondition(formatCondition(generated));
      const { lines } = previewSql(condition, context, 1);
      const rows = readRows(lines);
      const written = writeRows(rows);
      expect(formatCondition(parseCondition(written.text))).toBe(formatCondition(condition));
      expect(written.lines).toBe(lines.length);
      for (const part of listParts(rows)) {
        const { from, to, line } = written.places.get(part.key)!;
        expect(written.text.slice(from, to)).toBe(part.text);
        expect(lines[line]!.text).toBe(part.text);
      }
    }),
    { numRuns: 500 },
  );
});

test('parts that are empty still are left out; a group of one needs no brackets; what is taken out is gone', () => {
  const [first, second, empty] = [makePart('clicked'), makePart('opened'), makePart()];
  const inner = makeGroup('none', [second, empty]);
  const root = makeGroup('all', [first, inner, makeGroup('any', [makePart()])]);
  expect(writeRows(root).text).toBe('clicked\nand not (opened)');
  expect(writeRows(changeRow(root, empty.key, () => ({ ...empty, text: 'visited' }))).text).toBe(
    'clicked\nand not (opened\nor visited)',
  );
  expect(writeRows(changeRow(root, inner.key, () => null)).text).toBe('clicked');
  expect(writeRows(changeRow(root, root.key, () => ({ ...root, joining: 'any' as const }))).text).toBe(
    'clicked\nor not (opened)',
  );
  expect(writeRows(makeGroup('all', [])).text).toBe('');
});

const known = {
  lists: ['Night Digest', 'Open "x"'],
  segments: ['Readers'],
  snapshots: ['Then'],
  suppressionLists: ['Do not write'],
  campaigns: ['Digest 1'],
  tags: ['moon'],
  attributes: { visits: { type: 'number' as const }, tier: { type: 'choice' as const, choices: ['a'] } },
};

test('a part is cut into words and values with the names that may stand there; every suggestion can be read', () => {
  const pieces = cutIntoSlots('clicked at least 3 times from list "Night Digest" since 2026-11-01', known);
  expect(pieces).toEqual([
    'clicked at least ',
    { text: '3', choices: null },
    ' times from list ',
    { text: '"Night Digest"', choices: ['"Night Digest"', '"Open \\"x\\""'] },
    ' since ',
    { text: '2026-11-01', choices: null },
  ]);
  for (const part of suggestParts(known)) {
    expect(formatCondition(parseCondition(part))).toBe(part);
    expect(
      cutIntoSlots(part, known)
        .map((piece) => (typeof piece === 'string' ? piece : piece.text))
        .join(''),
    ).toBe(part);
  }
});

test.each([
  ['clicked in the last 30 days', 1, '60', 'clicked in the last 60 days'],
  ['clicked in the last 30 days', 1, '60 days', 'clicked in the last 60 days'],
  ['clicked in the last 30 days', 1, '2weeks', 'clicked in the last 2 weeks'],
  ['clicked in the last 30 days', 1, '1', 'clicked in the last 1 day'],
  ['clicked in the last 1 day', 1, '30', 'clicked in the last 30 days'],
  ['clicked in the last 30 days', 3, 'months', 'clicked in the last 30 months'],
  ['sent at least 20 times', 1, '5', 'sent at least 5 times'],
  ['silent for 90 days with at least 8 messages', 5, '1', 'silent for 90 days with at least 1 messages'],
  ['on list "Night Digest"', 1, '"Open \\"x\\""', 'on list "Open \\"x\\""'],
])('in “%s” piece %i becomes %s', (part, index, value, wanted) => {
  expect(putIntoSlot(cutIntoSlots(part, known), index, value)).toBe(wanted);
});

test('the units that may stand behind a number are in its number', () => {
  expect(cutIntoSlots('joined in the last 1 day', known)[3]).toEqual({
    text: 'day',
    choices: ['hour', 'day', 'week', 'month', 'year'],
  });
  expect(cutIntoSlots('joined in the last 21 days', known)[3]).toEqual({
    text: 'days',
    choices: ['hours', 'days', 'weeks', 'months', 'years'],
  });
});

test('what goes on from what is typed, the nearest first, also behind “not” and from a word within', () => {
  expect(completePart('', known)[0]).toBe('on list "Night Digest"');
  expect(completePart('on l', known)[0]).toBe('on list "Night Digest"');
  expect(completePart('joi', known)[0]).toBe('joined in the last 60 days');
  expect(completePart('not supp', known)[0]).toBe('not suppressed');
  expect(completePart('night', known)[0]).toBe('on list "Night Digest"');
  expect(completePart('on list "Nig', known)[0]).toBe('on list "Night Digest"');
  expect(completePart('CLICKED', known)[0]).toBe('clicked');
  expect(completePart('zebra', known)).toEqual([]);
});

test('Enter never puts something else in the place of a part that can be read as it is typed', () => {
  for (const part of suggestParts(known))
    for (let end = 1; end <= part.length; end++) {
      const typed = part.slice(0, end);
      const offered = completePart(typed, known)[0];
      if (offered === undefined || offered === typed.trimEnd() || !canBeRead(typed)) continue;
      throw new Error(`“${typed}” can be read, and would become “${offered}”`);
    }
  expect(canBeRead('clicked')).toBe(true);
});

function canBeRead(text: string): boolean {
  try {
    parseCondition(text);
    return true;
  } catch {
    return false;
  }
}
