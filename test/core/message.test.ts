import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { compileMessage, standardFields, writeMessage } from '../../src/core/message/compile-message.ts';
import { makeTokenizer } from '../../src/core/message/token.ts';

const tokens = makeTokenizer([{ version: 1, secret: Buffer.from('one') }]);
const known = new Set(['address', 'name', 'first_name', 'seat']);

describe('tokens', () => {
  test('read back what was sealed, for their own use only, also in upper case', () => {
    fc.assert(
      fc.property(fc.nat(2 ** 31 - 1), fc.nat(2 ** 31 - 1), fc.nat(65_535), (campaignId, contactId, link) => {
        const payload = { use: 'click' as const, campaignId, contactId, link };
        const token = tokens.make(payload);
        expect(token).toMatch(/^[a-z2-7]{39}$/);
        expect(tokens.read(token.toUpperCase(), 'click')).toEqual(payload);
        expect(tokens.read(token, 'unsubscribe')).toBeUndefined();
      }),
    );
  });

  test('any change of any character, another key, or any other text reads as nothing', () => {
    const token = tokens.make({ use: 'open', campaignId: 7, contactId: 9, link: 0 });
    for (let index = 0; index < token.length; index++) {
      const other = token[index] === 'a' ? 'b' : 'a';
      expect(tokens.read(token.slice(0, index) + other + token.slice(index + 1), 'open')).toBeUndefined();
    }
    expect(makeTokenizer([{ version: 1, secret: Buffer.from('two') }]).read(token, 'open')).toBeUndefined();
    fc.assert(fc.property(fc.string(), (text) => tokens.read(text, 'open') === undefined));
  });

  test('a message under an older key stays valid after the key was changed', () => {
    const token = tokens.make({ use: 'open', campaignId: 7, contactId: 9, link: 0 });
    const newer = makeTokenizer([{ version: 2, secret: Buffer.from('new') }, { version: 1, secret: Buffer.from('one') }]); // prettier-ignore
    expect(newer.read(token, 'open')).toMatchObject({ campaignId: 7, contactId: 9 });
  });
});

describe('compiling a message', () => {
  test('reports every problem at its place', () => {
    const source = {
      subject: 'Hello [[nickname else "you"]]',
      html: '<a href="htp:/x">a</a> [[seat]] <a href="https://x.example/[[seat else 1]]">b</a>',
      text: 'see [[name',
    };
    const { problems } = compileMessage(source, known);
    expect(problems.map(({ field, code, at }) => [field, code, at])).toEqual([
      ['subject', 'unknown-field', 6],
      ['html', 'no-fallback', 23],
      ['html', 'broken-link', 9],
      ['html', 'field-in-link', 41],
      ['text', 'unclosed-field', 4],
    ]);
  });

  test('writes fields, links, pixel, ways out and VERP under the contact’s own tokens', () => {
    const { message, problems } = compileMessage(
      {
        subject: 'For [[first_name else "you"]]\r\nBcc: x@y.example',
        html: '<p>[[name else "friend"]] <a href="https://larkfield.example/a?x=1&amp;y=2">a</a> <a href="mailto:x@y.example">m</a></p>',
        text: '',
      },
      known,
    );
    expect(problems).toEqual([]);
    const sender = {
      brandName: 'Larkfield Observatory',
      fromAddress: 'digest@larkfield.example',
      returnDomain: 'returns.larkfield.example',
      publicUrl: 'https://t.larkfield.example',
      listName: 'Night Digest',
    };
    const recipient = {
      contactId: 5,
      campaignId: 3,
      address: 'ada@quillmail.example',
      fields: standardFields('ada@quillmail.example', 'Ada <b>Brandt'),
    };
    const written = writeMessage(message, recipient, sender, tokens);
    expect(written.subject).toBe('For Ada  Bcc: x@y.example'.replace('  ', ' '));
    expect(written.html).toContain('Ada &#60;b&#62;Brandt');
    expect(written.html).toContain('href="mailto:x@y.example"');
    expect(written.html).not.toContain('larkfield.example/a?');
    expect(written.html).toMatch(/<img src="https:\/\/t\.larkfield\.example\/o\/[a-z2-7]{39}\.gif"/);
    expect(message.links).toEqual([{ number: 1, url: 'https://larkfield.example/a?x=1&y=2' }]);
    expect(written.text).toContain('Ada <b>Brandt');
    const verp = /^b\.([a-z2-7]{39})@returns\.larkfield\.example$/.exec(written.envelopeFrom)!;
    expect(tokens.read(verp[1]!, 'return')).toMatchObject({ campaignId: 3, contactId: 5 });
    expect(written.headers['List-Unsubscribe-Post']).toBe('List-Unsubscribe=One-Click');
    expect(written.headers['List-Unsubscribe']).toMatch(
      /^<https:\/\/t\.larkfield\.example\/u\/[a-z2-7]{39}>, <mailto:u\.[a-z2-7]{39}@returns/,
    );
  });
});
