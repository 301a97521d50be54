import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { visible } from '../../src/core/text/visible.ts';
import { tableText } from '../../src/cli/output.ts';

test.each([
  ['clears the screen: \u001b[2J', 'clears the screen: \\u001b[2J'],
  ['one byte of version 8 bits: \u009b2J', 'one byte of version 8 bits: \\u009b2J'],
  ['back to the\rstart', 'back to the\\u000dstart'],
  ['photo\u202egnp.exe', 'photo\\u202egnp.exe'],
  ['\u2066turned\u2069 and \u200fmarked', '\\u2066turned\\u2069 and \\u200fmarked'],
  ['line\u2028end', 'line\\u2028end'],
])('%j is shown as %j', (text, shown) => expect(visible(text)).toBe(shown));

test('people’s names in any writing, emoji of several characters and line ends are drawn as they are', () => {
  for (const text of ['Zoë Ångström', '月子', 'مريم', 'נועה', 'می‌خواهم', '👩‍🚀', 'two\nlines'])
    expect(visible(text)).toBe(text);
});

test('JSON means the same afterwards, whatever is in it, and nothing in it is obeyed', () => {
  const value = fc.oneof(
    fc.string({ unit: 'binary' }),
    fc.constantFrom('\u202e', '\u009b', '\u007f\u0085', '\\\u2028', '"\u061c'),
  );
  fc.assert(
    fc.property(fc.dictionary(value, fc.array(value)), (record) => {
      const shown = visible(JSON.stringify(record, null, 2));
      expect(JSON.parse(shown)).toEqual(JSON.parse(JSON.stringify(record)));
      expect(shown).not.toMatch(/(?!\n)[\p{Cc}\p{Bidi_Control}\u2028\u2029]/u);
    }),
  );
});

test('a table stays a table: a cell with such characters is as wide as what is drawn of it', () => {
  const rows = [{ name: 'Ana' }, { name: 'x\u202ey' }, { name: 'a\u001b[31mb' }];
  const table = tableText(rows, [
    { head: 'name', cell: (row) => row.name },
    { head: 'is', cell: () => 'here' },
  ]);
  expect(table.split('\n').slice(2)).toEqual(['Ana           here', 'x\\u202ey      here', 'a\\u001b[31mb  here']);
});
