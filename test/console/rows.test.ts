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
import { cutIntoSlots, suggestParts } from '../../src/console/pages/segments/suggestions.ts';
import { formatCondition } from '../../src/core/conditions/format-condition.ts';
import { parseCondition } from '../../src/core/conditions/parse-condition.ts';
import { previewSql } from '../../src/core/conditions/preview-sql.ts';
import type { ConditionContext } from '../../src/core/conditions/sql.ts';
import type { Condition } from '../../src/core/conditions/tree.ts';
import { DEFAULT_SCORE_RULE } from '../../src/core/rules/score.ts';
import { DEFAULT_SUNSET_RULE } from '../../src/core/rules/sunset-ladder.ts';
import { anyCondition } from '../support/conditions.ts';

const id = (name: string) => ({ id: 1, name });
const names = { lists: ['Night Digest'], campaigns: ['Digest 1'], suppressionLists: ['Do not write'], segments: ['Readers'], snapshots: ['Then'], attributes: { text: 'tier', number: 'visits', date: 'born', yesNo: 'member' }, tags: ['moon'], texts: ['a "b"', 'x'], days: ['2026-03-29'] }; // prettier-ignore
const context: ConditionContext = {
  now: 0, zone: 'UTC', brandId: 1, rule: DEFAULT_SUNSET_RULE, score: DEFAULT_SCORE_RULE,
  names: { lists: [id('Night Digest')], campaigns: [id('Digest 1')], suppressionLists: [id('Do not write')], segments: new Map<string, Condition>([['Readers', { kind: 'everyone' }]]), snapshots: [{ ...id('Then'), takenAt: 0 }], lookAlikeDomains: [], attributes: {} },
}; // prettier-ignore

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
  expect(writeRows(changeRow(root, empty.key, () => ({ ...empty, text: 'visited' }))).text).toBe('clicked\nand not (opened\nor visited)');
  expect(writeRows(changeRow(root, inner.key, () => null)).text).toBe('clicked');
  expect(writeRows(changeRow(root, root.key, () => ({ ...root, joining: 'any' as const }))).text).toBe('clicked\nor not (opened)');
  expect(writeRows(makeGroup('all', [])).text).toBe('');
}); // prettier-ignore

test('a part is cut into words and values with the names that may stand there; every suggestion can be read', () => {
  const known = { lists: ['Night Digest', 'Open "x"'], segments: ['Readers'], snapshots: ['Then'], suppressionLists: ['Do not write'], campaigns: ['Digest 1'], tags: ['moon'], attributes: { visits: { type: 'number' as const }, tier: { type: 'choice' as const, choices: ['a'] } } }; // prettier-ignore
  const pieces = cutIntoSlots('clicked at least 3 times from list "Night Digest" since 2026-11-01', known);
  expect(pieces).toEqual(['clicked at least ', { text: '3 times', choices: null }, ' from list ', { text: '"Night Digest"', choices: ['"Night Digest"', '"Open \\"x\\""'] }, ' since ', { text: '2026-11-01', choices: null }]); // prettier-ignore
  for (const part of suggestParts(known)) {
    expect(formatCondition(parseCondition(part))).toBe(part);
    expect(cutIntoSlots(part, known).map((piece) => (typeof piece === 'string' ? piece : piece.text)).join('')).toBe(part); // prettier-ignore
  }
});
