import { readdirSync, readFileSync } from 'node:fs';
import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { MAX_FIELD_CHARACTERS, MAX_MESSAGE_BYTES, MAX_TEXT_CHARACTERS } from '../../src/core/returns/limits.ts';
import { readReturn, readReturns } from '../../src/core/returns/read-return.ts';
import { withoutComments } from '../../src/core/returns/without-comments.ts';
import { withoutMarkup } from '../../src/core/returns/without-markup.ts';
import { HOSTILE } from '../support/hostile-returns.ts';

const FOLDER = 'test/core/returned/';
const CORPUS = readdirSync(FOLDER)
  .filter((file) => file.endsWith('.eml'))
  .map((file) => readFileSync(FOLDER + file));
const REPORT = readFileSync(`${FOLDER}report-user-unknown.eml`);

/** The best of three, in milliseconds: what else the machine does makes a reading longer, never shorter. */
function took(raw: Buffer): number {
  const once = (): number => {
    const begun = performance.now();
    expect(readReturn(raw).because).not.toBe('');
    return performance.now() - begun;
  };
  return Math.min(once(), once(), once());
}

/** A report of everyday make that carries so large a copy of the message. */
const HARMLESS = Buffer.concat([
  REPORT,
  Buffer.alloc(MAX_MESSAGE_BYTES - REPORT.length, 'The November sky holds a comet.\r\n'),
]);
/** What was read in more than linear time took hundreds of times as long. */
const MOST_TIMES = 30;

test.each(Object.keys(HOSTILE))('%s: 4 MB are read about as fast as a harmless message of that size', (name) => {
  const raw = Buffer.from(HOSTILE[name]!(MAX_MESSAGE_BYTES), 'latin1');
  expect(raw.length).toBeGreaterThanOrEqual(MAX_MESSAGE_BYTES);
  expect(took(raw)).toBeLessThan(MOST_TIMES * took(HARMLESS));
});

test('any piece of a message of the corpus, repeated up to 4 MB, is read in bounded time and gives a bounded reading', () => {
  const limit = MOST_TIMES * took(HARMLESS);
  fc.assert(
    fc.property(
      fc.nat(CORPUS.length - 1),
      fc.nat(),
      fc.integer({ min: 1, max: 300 }),
      fc.uint8Array({ maxLength: 6 }),
      (which, place, length, bytes) => {
        const message = CORPUS[which]!;
        const at = place % Math.max(1, message.length);
        const piece = Buffer.concat([message.subarray(at, at + length), bytes]);
        fc.pre(piece.length > 0);
        const raw = Buffer.concat([
          message.subarray(0, at),
          Buffer.alloc(MAX_MESSAGE_BYTES, piece),
          message.subarray(at),
        ]);
        const begun = performance.now();
        const read = readReturn(raw);
        const first = performance.now() - begun;
        expect(first < limit ? first : took(raw)).toBeLessThan(limit);
        expect(JSON.stringify(read).length).toBeLessThan(MAX_MESSAGE_BYTES);
        for (const { text } of read.recipients) expect(text.length).toBeLessThanOrEqual(MAX_TEXT_CHARACTERS);
      },
    ),
    { numRuns: 60, seed: 17 },
  );
});

test('one message to several of our addresses is read for each, and told whom it is from', () => {
  const token = (letter: string): string => letter.repeat(39);
  const raw = `From: Ada <ada@quillmail.example>\nSubject: stop\nIn-Reply-To: <${token('c')}@larkfield.example>\n\nplease`;
  const { readings, sender } = readReturns(raw, [
    `u.${token('a')}@returns.larkfield.example`,
    `b.${token('b')}@returns.larkfield.example`,
    '',
  ]);
  expect(sender).toBe('ada@quillmail.example');
  expect(readings.map(({ kind, token: found }) => [kind, found])).toEqual([
    ['unsubscribe_request', token('a')],
    ['unsubscribe_request', token('b')],
    ['unsubscribe_request', token('c')],
  ]);
  expect(readings.map(({ because }) => because)).toEqual([
    "sent to the message's own unsubscribe address",
    'the subject is “stop” and nothing else',
    'the subject is “stop” and nothing else',
  ]);
  expect(readReturns('From: a@b.example, c@d.example\n\nx', ['']).sender).toBeUndefined();
});

test('a field and a header block have an end: what stands beyond is left unread, and what stands before is read', () => {
  const long = `X-Failed-Recipients: ada@quillmail.example,${' x'.repeat(MAX_FIELD_CHARACTERS)} bo@quillmail.example\n`;
  const report = `From: MAILER-DAEMON@mx.quillmail.example\nSubject: failure notice\n${long}\n550 user unknown`;
  expect(readReturn(report).recipients.map(({ address }) => address)).toEqual(['ada@quillmail.example']);
  const buried = `From: ada@quillmail.example\n${'X-More: y\n'.repeat(1000)}In-Reply-To: <x@y.example>\n\nthanks`;
  expect(readReturn(buried).kind).toBe('unknown');
});

test.each([
  ['ada@quillmail.example', 'ada@quillmail.example'],
  ['ada(a (b) c)@quillmail.example (d)', 'ada@quillmail.example'],
  ['(a)(b)', ''],
  ['"(not one)" <ada@quillmail.example>', '"(not one)" <ada@quillmail.example>'],
  ['ada (a \\) b)', 'ada'],
  ['ada (never closed', 'ada'],
  ['ada) bo', 'ada) bo'],
])('comments in %s', (value, without) => {
  expect(withoutComments(value)).toBe(value.includes('(') ? without : value);
});

test.each([
  ['a<br>b</p>c', 'a\nb\nc'],
  ['<style>p { color: red }</style>read', 'read'],
  ['1 < 2 &amp; 3 > 2', '1 < 2 & 3 > 2'],
  ['<a href="x">no end', 'no end'],
  ['text <b', 'text '],
  [`<a ${'x'.repeat(3000)}>`, `<a ${'x'.repeat(3000)}>`],
])('what people read of %s', (html, read) => {
  expect(withoutMarkup(html)).toBe(read);
});
