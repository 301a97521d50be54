import { expect, test } from '@jest/globals';
import { decodeWords, quotedPrintableBytes } from '../../src/core/returns/decode-text.ts';
import { MAX_WORDS_CHARACTERS } from '../../src/core/returns/limits.ts';

test.each([
  ['Undelivered mail', 'Undelivered mail'],
  ['=?utf-8?Q?Zustellung_fehlgeschlagen?=', 'Zustellung fehlgeschlagen'],
  ['=?UTF-8?b?w4RyZ2Vy?= with the post', 'Ärger with the post'],
  // White space between two words is none; a character may be cut in two by the end of a word.
  ['=?utf-8?Q?Caf=C3?= =?utf-8?Q?=A9?=', 'Café'],
  ['=?utf-8?B?w4RyZ2Vy?=\t=?utf-8?Q?_heute?=', 'Ärger heute'],
  ['=?iso-8859-1?Q?St=F6rung?= =?utf-8?Q?=C3=A9?=', 'Störungé'],
  ['=?utf-8*de?Q?St=C3=B6rung?=', 'Störung'],
  ['=?koi8-r?B?78/Q2w==?=', 'Оопш'],
  // What is no encoded word stays as it stands.
  ['=?utf-8?Q?not ended', '=?utf-8?Q?not ended'],
  ['=?utf-8?X?what?=', '=?utf-8?X?what?='],
])('the words of %s', (given, read) => {
  expect(decodeWords(given)).toBe(read);
});

test('of a field that is far too long the beginning is read, the rest stays', () => {
  const word = '=?utf-8?Q?=41?= ';
  const given = word.repeat(100_000);
  const read = decodeWords(given);
  expect(read.startsWith('AAAA')).toBe(true);
  expect(read.endsWith(given.slice(MAX_WORDS_CHARACTERS))).toBe(true);
});

test.each([
  ['a=C3=A9b', 'aéb'],
  ['soft =\nend', 'soft end'],
  ['soft = \t\nend', 'soft end'],
  ['2 = 2, =ZZ and =4', '2 = 2, =ZZ and =4'],
  ['lower =c3=a9', 'lower é'],
  ['', ''],
])('the bytes of %j', (given, text) => {
  expect(quotedPrintableBytes(given).toString('utf8')).toBe(text);
});
