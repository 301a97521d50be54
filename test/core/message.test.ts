import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { compileMessage, standardFields, writeMessage } from '../../src/core/message/compile-message.ts';
import { htmlToText } from '../../src/core/message/html-to-text.ts';
import { findHtmlLinks, findTextLinks } from '../../src/core/message/links.ts';
import { escapeHtml, oneLine, parseTemplate, renderTemplate } from '../../src/core/message/merge-fields.ts';
import { makeTokenizer } from '../../src/core/message/token.ts';

const SENDER = {
  brandName: 'Larkfield Observatory',
  fromAddress: 'digest@larkfield.example',
  returnDomain: 'returns.larkfield.example',
  publicUrl: 'https://t.larkfield.example',
  listName: 'Night Digest',
};
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
    const newer = makeTokenizer([
      { version: 2, secret: Buffer.from('new') },
      { version: 1, secret: Buffer.from('one') },
    ]);
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
    const recipient = {
      contactId: 5,
      campaignId: 3,
      address: 'ada@quillmail.example',
      fields: standardFields('ada@quillmail.example', 'Ada <b>Brandt'),
    };
    const written = writeMessage(message, recipient, SENDER, tokens);
    expect(written.subject).toBe('For Ada  Bcc: x@y.example'.replace('  ', ' '));
    expect(written.html).toContain('Ada &#60;b&#62;Brandt');
    expect(written.html).toContain('href="mailto:x@y.example"');
    expect(written.html).not.toContain('larkfield.example/a?');
    expect(written.html).toMatch(/<img src="https:\/\/t\.larkfield\.example\/seen\/[a-z2-7]{39}\.gif"/);
    expect(message.links).toEqual([{ number: 1, url: 'https://larkfield.example/a?x=1&y=2' }]);
    expect(written.text).toContain('Ada <b>Brandt');
    const verp = /^b\.([a-z2-7]{39})@returns\.larkfield\.example$/.exec(written.envelopeFrom)!;
    expect(tokens.read(verp[1]!, 'return')).toMatchObject({ campaignId: 3, contactId: 5 });
    expect(written.headers['List-Unsubscribe-Post']).toBe('List-Unsubscribe=One-Click');
    expect(written.headers['List-Unsubscribe']).toMatch(
      /^<https:\/\/t\.larkfield\.example\/out\/[a-z2-7]{39}>, <mailto:u\.[a-z2-7]{39}@returns/,
    );
  });
});

describe('links', () => {
  const hrefs = (html: string): string[] => findHtmlLinks(html).map(({ url }) => url);

  test.each([
    ["<A\nHREF = 'https://x.example/?a=1&amp;b=2&copy=3'>", ['https://x.example/?a=1&b=2&copy=3']],
    ['<a data-href="no" title="a > b" href="https://x.example">', ['https://x.example']],
    ['<a href="https://x.example" href="https://second.example">', ['https://x.example']],
    ['<map><area shape=rect href=https://x.example/moon coords=0,0,1,1></map>', ['https://x.example/moon']],
    ['<a href="&#104;ttps://x.example">', ['https://x.example']],
    ['<!-- <a href="https://no.example"> --><link href="https://no.example"><style>a[href="x"] {}</style>', []],
    [
      '<!--[if mso]><v:roundrect href="no"><a href="https://outlook.example"></a><![endif]-->',
      ['https://outlook.example'],
    ],
    ['<a href><a name="here"><a href="https://never-closed.example', []],
  ])('of %s', (html, urls) => {
    expect(hrefs(html)).toEqual(urls);
    for (const { start, end } of findHtmlLinks(html))
      expect(html.slice(start, end)).toMatch(/x\.example|outlook\.example/);
  });

  test('in plain text end where the sentence goes on', () => {
    const of = (text: string): string[] => findTextLinks(text).map(({ url }) => url);
    expect(of('See https://x.example/a, or (https://x.example/b). Or https://x.example/moon_(phase)!')).toEqual([
      'https://x.example/a',
      'https://x.example/b',
      'https://x.example/moon_(phase)',
    ]);
    expect(of('words <https://x.example/?a=[1]> and "https://y.example"')).toEqual([
      'https://x.example/?a=[1',
      'https://y.example',
    ]);
  });

  test('put back where their tokens stand, they give what the author wrote, with the ways out beside it', () => {
    const url = fc.constantFrom(
      'https://x.example/a',
      'https://x.example/b?c=1&d=2',
      'http://y.example',
      'mailto:x@y.example',
      '#top',
    );
    const attribute = fc
      .tuple(fc.constantFrom('"', "'"), url)
      .map(([quote, to]) => `href=${quote}${to.replaceAll('&', '&amp;')}${quote}`);
    const anchor = fc
      .tuple(
        fc.constantFrom('', ' class="x"', ' title=">"'),
        attribute,
        fc.constantFrom('word', '<img src="https://x.example/p.png">'),
      )
      .map(([before, href, words]) => `<a${before} ${href}>${words}</a>`);
    const other = fc.constantFrom(
      '<p>',
      '</p>',
      'text & more',
      '<!-- a -->',
      'https://bare.example',
      '</body>',
      '<br/>',
    );
    fc.assert(
      fc.property(fc.array(fc.oneof(anchor, other), { maxLength: 12 }), (parts) => {
        const html = parts.join('');
        const { message } = compileMessage({ subject: 's', html, text: 't' }, known);
        const written = writeMessage(
          message,
          { contactId: 5, campaignId: 3, address: 'a@x.example', fields: {} },
          SENDER,
          tokens,
        );
        const [wayOut, pixel] = [
          /<p style="[^"]*"><a href="[^"]*\/out\/[^"]*">Unsubscribe<\/a><\/p><a href="[^"]*" style="display:none" aria-hidden="true" tabindex="-1"><\/a>/,
          /<img src="[^"]*\/seen\/[^"]*"[^>]*>/,
        ];
        expect(written.html).toMatch(wayOut);
        expect(written.html).toMatch(pixel);
        const back = written
          .html!.replace(wayOut, '')
          .replace(pixel, '')
          .replace(/https:\/\/t\.larkfield\.example\/to\/([a-z2-7]+)/g, (_, token: string) => {
            const { link } = tokens.read(token, 'click')!;
            return message.links.find(({ number }) => number === link)!.url.replaceAll('&', '&amp;');
          });
        expect(back).toBe(html);
        expect(message.links.some((one) => !/^https?:/.test(one.url))).toBe(false);
      }),
    );
  });
});

describe('merge fields', () => {
  test('whatever a contact is called, nothing else of their message changes', () => {
    const source = {
      subject: 'For [[name else "you"]]',
      html: '<body><p title="[[name else "x"]]">[[name else "x"]] <a href="https://x.example">y</a></body>',
      text: '',
    };
    const { message } = compileMessage(source, known);
    const write = (name: string) =>
      writeMessage(message, { contactId: 5, campaignId: 3, address: 'a@x.example', fields: { name } }, SENDER, tokens);
    const plain = write('PLACEHOLDER');
    const odd = fc.constantFrom(
      '$&',
      '$1',
      '\u0001U\u0001',
      '\u0001L1\u0001',
      '</body>',
      '[[name]]',
      '\r\nBcc: x@y.example',
      '"><script>',
    );
    fc.assert(
      fc.property(
        fc.array(fc.oneof(odd, fc.string()), { minLength: 1, maxLength: 3 }).map((parts) => `A${parts.join('')}`),
        (name) => {
          const { html, text, subject, ...others } = write(name);
          expect(html).toBe(plain.html!.replaceAll('PLACEHOLDER', () => escapeHtml(name)));
          expect(text).toBe(plain.text.replaceAll('PLACEHOLDER', () => name));
          expect(subject).toBe(`For ${oneLine(name)}`);
          expect(subject).not.toMatch(/[\r\n]/);
          expect(html).not.toContain('<script>');
          expect(others).toEqual({ ...plain, html: undefined, text: undefined, subject: undefined });
        },
      ),
    );
  });

  test('an empty value is written as its fallback, quotation marks or not, in any case', () => {
    const write = (template: string, name?: string): string =>
      renderTemplate(parseTemplate(template, known).pieces, { name }, (value) => value);
    expect(write('[[name else "my friend"]]!', '  ')).toBe('my friend!');
    expect(write('[[ NAME else or else ]]', undefined)).toBe('or else');
    expect(write('[[name else ""]]', '')).toBe('');
    expect(write('a [[name else "b"]] c', 'Ada')).toBe('a Ada c');
    expect(write('[[name')).toBe('[[name');
  });
});

test('a text part says what the page says: links after their words, pictures by their description, entities as characters', () => {
  const html = `<html><head><title>no</title><style>p { color: red }</style></head><body>
    <!--[if mso]><p>for one program</p><![endif]-->
    <h1>The December sky</h1><p>Ada&rsquo;s evening&nbsp;&ndash; [[name else "friend"]],<br>see <a href="https://x.example/moon_(phase)?a=1&amp;b=2">the moon</a>
    and <a href="https://y.example">https://y.example</a>.</p><img src="https://x.example/p.png" alt="A crescent"><img src="https://x.example/q.png">
    <ul><li>one</li><li>two</li></ul></body></html>`;
  const text = htmlToText(html);
  expect(text.split(/\n+/).map((line) => line.trim())).toEqual([
    'The December sky',
    'Ada’s evening\u00a0– [[name else "friend"]],',
    'see the moon <https://x.example/moon_(phase)?a=1&b=2> and https://y.example.',
    'A crescent',
    '- one',
    '- two',
  ]);
  expect(findTextLinks(text).map(({ url }) => url)).toEqual([
    'https://x.example/moon_(phase)?a=1&b=2',
    'https://y.example',
  ]);
});

test('a name that is longer than names are, or looks like a link, stands in no message', () => {
  const nameIn = (name: string) => standardFields('ada@quillmail.example', name)['name'];
  for (const name of ['Ada Brandt', 'J. R. Olsen', 'Dr. Ada', "O'Neil-Smith", '月子', 'A'.repeat(60)])
    expect(nameIn(name)).toBe(name);
  for (const name of [
    'A'.repeat(61),
    'see http://a.example',
    'WWW.prize.example',
    'prize.example now',
    'a@b.example',
    'Ada //b/c',
  ]) {
    expect([name, nameIn(name)]).toEqual([name, '']);
    expect(standardFields('ada@quillmail.example', name)['first_name']).toBe('');
  }
});
