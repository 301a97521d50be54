import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { simpleParser } from 'mailparser';
import type { WrittenMessage } from '../../src/core/message/compile-message.ts';
import { makeMimeBuilder } from '../../src/service/relay/mime-skeleton.ts';

const MESSAGE: WrittenMessage = {
  envelopeFrom: 'b.token@returns.larkfield.example',
  to: 'ana@quillmail.example',
  from: { name: 'Larkfield Observatory', address: 'digest@larkfield.example' },
  subject: 'The December sky',
  html: '<p>Hello</p>',
  text: 'Hello',
  messageId: '<token@larkfield.example>',
  headers: {
    'List-Unsubscribe': `<https://larkfield.example/u/${'a'.repeat(60)}>, <mailto:u.${'b'.repeat(39)}@returns.larkfield.example?subject=unsubscribe>`,
    'List-Unsubscribe-Post': 'List-Unsubscribe=One-Click',
    'List-Id': 'Members’ Letter <members-letter.larkfield.example>',
  },
};
const headOf = (raw: string): string => raw.slice(0, raw.indexOf('\r\n\r\n'));

describe('MIME of messages', () => {
  test('headers as the standards ask for: one-click, identity, date, a text part first, lines of mail', async () => {
    const raw = (await makeMimeBuilder()(MESSAGE)).toString();
    expect(raw.replaceAll('\r\n', '')).not.toMatch(/[\r\n]/);
    expect(raw.split('\r\n').every((line) => line.length <= 998)).toBe(true);
    expect(headOf(raw)).toMatch(/^List-Unsubscribe: <https:[^\r]+>,\r\n <mailto:[^\r]+>$/m);
    expect(headOf(raw)).toMatch(/^List-Unsubscribe-Post: List-Unsubscribe=One-Click\r?$/m);
    // Only the phrase is encoded, or nobody could read the identity (RFC 2047 section 5).
    expect(headOf(raw)).toMatch(/^List-I[Dd]: =\?UTF-8\?Q\?[^<]+\?=\r\n <members-letter\.larkfield\.example>\r?$/m);
    expect(headOf(raw)).toMatch(/^Date: \w{3}, \d{1,2} \w{3} \d{4} \d\d:\d\d:\d\d \+0000\r?$/m);
    expect(raw.indexOf('text/plain')).toBeLessThan(raw.indexOf('text/html'));
  });

  test('what was written is what a mailbox reads, whatever the characters', async () => {
    const build = makeMimeBuilder();
    const line = fc
      .string({ unit: 'grapheme', maxLength: 120 })
      .map((text) => text.replace(/[\p{Cc}\u2028\u2029]/gu, ''));
    const body = fc
      .array(fc.oneof(line, fc.constantFrom('.', '..', 'From here', '=3D', ' ', 'x'.repeat(300), 'tail \t')), {
        minLength: 1,
        maxLength: 6,
      })
      .map((lines) => lines.join('\n'));
    const word = line.filter(
      (text) => /^\S(.*\S)?$/u.test(text) && !/\s\s|[\p{C}\p{Z}]/u.test(text.replaceAll(' ', '')),
    );
    await fc.assert(
      fc.asyncProperty(body, body, word, async (text, html, subject) => {
        const raw = await build({ ...MESSAGE, text, html: `<p>${html}</p>`, subject });
        const read = await simpleParser(raw, { skipHtmlToText: true, skipTextToHtml: true, skipImageLinks: true });
        expect(read.text?.replace(/\n$/, '')).toBe(text.replace(/\n$/, ''));
        expect((read.html as string).replace(/\n$/, '')).toBe(`<p>${html}</p>`);
        expect(read.subject).toBe(subject);
        expect(read.messageId).toBe(MESSAGE.messageId);
      }),
      { numRuns: 150 },
    );
  });

  test('a subject that looks encoded is read as it was written', async () => {
    for (const subject of ['=?utf-8?Q?The_sky?=', 'Re: =?utf-8?B?SGVsbG8=?= there', 'Half =?utf-8?Q?']) {
      const raw = await makeMimeBuilder()({ ...MESSAGE, subject });
      expect((await simpleParser(raw)).subject).toBe(subject);
    }
  });

  test('no header is written with a control character in it, whoever composed the message', async () => {
    const bad = 'one\r\nBcc: all@quillmail.example';
    for (const message of [
      { ...MESSAGE, subject: bad },
      { ...MESSAGE, subject: 'one\u0000' },
      { ...MESSAGE, to: `ana@quillmail.example\nBcc: x` },
      { ...MESSAGE, messageId: '<a\r\n@b>' },
      { ...MESSAGE, from: { ...MESSAGE.from, name: bad } },
      { ...MESSAGE, headers: { ...MESSAGE.headers, 'List-Id': `<${bad}>` } },
    ])
      await expect(makeMimeBuilder()(message)).rejects.toThrow(/control character/);
  });

  test('a skeleton is not carried over to another sender', async () => {
    const build = makeMimeBuilder();
    await build(MESSAGE);
    const other = await build({ ...MESSAGE, from: { name: 'Larkfield Shop', address: 'shop@larkfield.example' } });
    expect(headOf(other.toString())).toMatch(/^From: Larkfield Shop <shop@larkfield\.example>\r?$/m);
  });
});
