import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { checkMessage, findUsedFields, statementProblem } from '../../src/core/message/check-message.ts';
import {
  compileMessage,
  OF_A_TEST,
  standardFields,
  writeMessage,
  writeTest,
  type MessageSource,
} from '../../src/core/message/compile-message.ts';
import { findHtmlParts } from '../../src/core/message/html-parts.ts';
import { MOST_LINKS } from '../../src/core/message/links.ts';
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
const AGAINST = {
  known,
  purpose: 'marketing' as const,
  statement: '',
  htmlBytes: 900,
  lacking: new Map(),
  sender: { fromAddress: 'digest@larkfield.example', keys: [], records: [] },
};
const GOOD: MessageSource = {
  subject: 'What to find in the December sky',
  previewLine: 'Geminids, and a bright Jupiter',
  html: '<p>Dear [[first_name else "stargazer"]], the nights are long now. <a href="https://larkfield.example/december">Read on</a></p>',
  text: '',
};
const check = (source: Partial<MessageSource>, against: object = {}) =>
  checkMessage({ ...GOOD, ...source }, { ...AGAINST, ...against });
const codes = (source: Partial<MessageSource>, against: object = {}) =>
  check(source, against)
    .filter(({ weight }) => weight !== 'fine')
    .map(({ weight, code }) => `${weight} ${code}`);

describe('the check', () => {
  test('has nothing to say against a message that is as it should be', () => {
    expect(check({}).map(({ weight, title, advice }) => [weight, title, advice])).toEqual([
      ['fine', '1 kB; mailboxes cut at about 100', ''],
      ['fine', 'Text part made from the HTML', expect.stringMatching(/^\d+ characters$/)],
    ]);
  });

  test('names a link that leads nowhere by its number, its line and its address', () => {
    const html = [
      '<h1>What to find</h1>',
      '<p><a href="https://larkfield.example/december">Read on</a></p>',
      '<p><a href="htps:/larkfield.example/evenings">Evenings</a></p>',
    ].join('\n');
    const [found] = check({ html });
    expect(found).toMatchObject({ weight: 'stops', title: 'Link 2 leads nowhere', place: { field: 'html', line: 3 } });
    expect(found!.advice).toContain('“htps:/larkfield.example/evenings”');
    expect(html.slice(found!.place!.at, found!.place!.end)).toBe('htps:/larkfield.example/evenings');
  });

  test.each<[string, Partial<MessageSource>, string[]]>([
    ['no subject', { subject: ' ' }, ['stops no-subject']],
    ['no body', { html: '' }, ['stops no-body']],
    ['no text where it is text alone', { format: 'text', text: ' ' }, ['stops no-body']],
    ['a field nobody has', { subject: 'For [[nickname else "you"]]' }, ['stops unknown-field']],
    ['a fault in the line shown after the subject', { previewLine: 'For [[seat]]' }, ['stops no-fallback']],
    [
      'a field in a link',
      { html: '<a href="https://x.example/[[seat else 1]]">seats are free</a>' },
      ['stops field-in-link'],
    ],
    [
      'a link of 8 kB',
      { html: `<a href="https://x.example/${'a'.repeat(8000)}">read on, and on, and on</a>` },
      ['stops long-link'],
    ],
    [
      'a picture alone',
      { html: '<img src="https://x.example/a.png">' },
      ['look no-description', 'look pictures-alone', 'look no-text'],
    ],
    [
      'pictures that are described',
      { html: '<p>Twenty letters and some more</p><img src=a alt="Jupiter"><img src=b alt="">' },
      [],
    ],
    [
      'a program and a form',
      { html: '<script>x()</script><form><p>Twenty letters and some more</p></form>' },
      ['look taken-out', 'look taken-out'],
    ],
    ['another notation', { subject: 'Dear {{name}}' }, ['look other-notation']],
    ['a long subject', { subject: '🔭'.repeat(79) }, ['look long-subject']],
    ['emoji in the subject', { subject: '🔭 What to find' }, []],
    ['a text part that says nothing', { text: '...' }, ['look no-text']],
  ])('finds %s', (_, source, expected) => expect(codes(source)).toEqual(expected));

  test('says that a message is cut, and for how many a field is empty and what they read', () => {
    const lacking = new Map([['first_name', 214]]);
    const found = check({}, { htmlBytes: 130_000, lacking });
    expect(found.filter(({ weight }) => weight === 'look')).toMatchObject([
      { title: '130 kB; mailboxes cut at about 100', place: null },
      {
        title: '214 have no first name',
        advice: 'They read “stargazer”.',
        lacking: 'first_name',
        place: { field: 'html', at: 8, end: 39, line: 1 },
      },
    ]);
  });

  test('of a service message asks for a statement, and looks at what seems to be an offer', () => {
    const service = { purpose: 'service' };
    expect(codes({}, service)).toEqual(['stops no-statement']);
    expect(codes({}, { ...service, statement: 'x' })).toEqual(['stops no-statement']);
    const statement = 'Whoever holds a ticket has to know that the evening is moved.';
    expect(codes({}, { ...service, statement })).toEqual([]);
    expect(
      codes({ html: '<p>Your evening is moved. Take 20 % off the next one.</p>' }, { ...service, statement }),
    ).toEqual(['look offer']);
    expect(codes({ html: '<p>Take 20 % off the next one, dear readers.</p>' })).toEqual([]);
    expect(statementProblem('marketing', '')).toBeUndefined();
  });

  test('says what speaks for the sender, and what does not', () => {
    const key = { selector: 'dec2026', domain: 'larkfield.example' };
    const record = { name: 'dec2026._domainkey.larkfield.example', what: 'DKIM' as const };
    const of = (sender: object) =>
      check({}, { sender: { ...AGAINST.sender, ...sender } })
        .filter(({ code }) => ['sender', 'dns', 'not-aligned'].includes(code))
        .map(({ weight, title }) => [weight, title]);
    expect(of({})).toEqual([]);
    expect(of({ keys: [key] })).toEqual([['fine', 'Signed for larkfield.example with dec2026']]);
    expect(of({ keys: [key], records: [{ ...record, agrees: true }] })).toEqual([['fine', 'From agrees with DKIM']]);
    expect(of({ keys: [key], records: [{ ...record, agrees: false }] })).toEqual([
      ['look', 'DKIM of dec2026._domainkey.larkfield.example is not in the DNS'],
    ]);
    expect(of({ keys: [{ ...key, domain: 'quillmail.example' }] })).toEqual([
      ['look', 'The key dec2026 does not speak for larkfield.example'],
    ]);
  });

  test('speaks of one contact as of one', () => {
    const [found] = check({}, { lacking: new Map([['first_name', 1]]) });
    expect(found).toMatchObject({ title: '1 has no first name', advice: 'That one reads “stargazer”.' });
  });

  test('of text alone looks at nothing of the HTML that is kept beside it', () => {
    const kept = { html: '<img>{{name}} 20 % off <a href="x">y</a>', previewLine: '{{name}}' };
    const text = 'Dear reader, the evening of your ticket is moved.';
    const service = { purpose: 'service', statement: 'Whoever holds a ticket has to know that it is moved.' };
    expect(codes({ ...kept, format: 'text', text }, service)).toEqual([]);
    expect(codes({ ...kept, format: 'text', text: `${text} {{name}}` }, service)).toEqual(['look other-notation']);
  });

  test('10,000 links are too many: said once, at the first beyond, however large the message', () => {
    const html = Array.from({ length: 10_000 }, (_, n) => `<a href="https://x.example/${n}">${n}</a>`).join('\n');
    const stops = check({ html }).filter(({ weight }) => weight === 'stops');
    expect(stops).toMatchObject([{ code: 'many-links', place: { line: MOST_LINKS + 1 } }]);
    expect(stops[0]!.advice).toContain(`${MOST_LINKS} different links`);
  });

  test('HTML that is deeper than any mailbox draws is told at its place, and nothing runs out of stack over it', () => {
    for (const piece of ['<div><b>', '<table><tr><td>', '<p><span>']) {
      const html = `<p>Good evening</p>${piece.repeat(100_000)}<img>`;
      const stops = check({ html }).filter(({ weight }) => weight === 'stops');
      expect(stops).toMatchObject([{ code: 'too-deep', title: 'The HTML is too deep', place: { field: 'html' } }]);
      expect(html.slice(stops[0]!.place!.at, stops[0]!.place!.end)).toMatch(/^<\w+>$/);
    }
    // Whatever closes by itself is not deep.
    for (const piece of ['<li>a line of letters', '<p>a line of letters', '<br>a line of letters', '<b>bold</b>'])
      expect(codes({ html: piece.repeat(5000) })).toEqual([]);
  });

  test('of a hundred thousand faults a hundred of each kind are told, each read once', () => {
    const html = '<a href="x">y</a>[[z]]'.repeat(45_000);
    expect(check({ html }).length).toBeLessThan(150);
  });

  test('every place is within its field, whatever is written', () => {
    const piece = fc.oneof(
      fc.string(),
      fc.constantFrom(
        '[[seat]]',
        '[[',
        ']]',
        '<img>',
        '<a href="x">',
        '\n',
        '{{a}}',
        '<script>',
        '\u0001',
        '[[name else "x"]]',
      ),
    );
    const text = fc.array(piece, { maxLength: 12 }).map((pieces) => pieces.join(''));
    fc.assert(
      fc.property(text, text, text, text, fc.constantFrom('html' as const, 'text' as const), (...written) => {
        const [subject, previewLine, html, plain, format] = written;
        const source = { subject, previewLine, html, text: plain, format };
        for (const { place } of checkMessage(source, { ...AGAINST, lacking: new Map([['name', 3]]) })) {
          if (!place || place.field === 'statement') continue;
          expect(place.at).toBeLessThanOrEqual(place.end);
          expect(place.end).toBeLessThanOrEqual(source[place.field].length);
          expect(place.line).toBe(source[place.field].slice(0, place.at).split('\n').length);
        }
      }),
    );
  });
});

describe('parts of HTML', () => {
  test('are found as a browser reads it, each at its place', () => {
    const html = '<style>p{}</style><!-- <img> --><p>Hi <IMG src=a><img alt="x > y" src=b></p>';
    const { pictures, letters } = findHtmlParts(html);
    expect(pictures.map(({ at, end, alt }) => [html.slice(at, end), alt])).toEqual([
      ['<IMG src=a>', null],
      ['<img alt="x > y" src=b>', 'x > y'],
    ]);
    expect(letters).toBe(2);
  });
});

describe('a message', () => {
  const fields = standardFields('ada@quillmail.example', 'Ada Brandt');
  const recipient = { contactId: 5, campaignId: 3, address: 'ada@quillmail.example', fields };
  const write = (source: Partial<MessageSource>) =>
    writeMessage(compileMessage({ ...GOOD, ...source }, known).message, recipient, SENDER, tokens);

  test('of text alone has no HTML and no pixel, and counts its links only if asked', () => {
    const text = 'Dear [[first_name else "stargazer"]],\nread https://larkfield.example/december.';
    const plain = write({ format: 'text', text });
    expect(plain.html).toBeNull();
    expect(plain.text).toMatch(
      /^Dear Ada,\nread https:\/\/larkfield\.example\/december\.\n\n-- \nUnsubscribe: https:\/\/t\.larkfield\.example\/out\/[a-z2-7]{39}\n$/,
    );
    expect(write({ format: 'text', text, countLinks: true }).text).toMatch(
      /^Dear Ada,\nread https:\/\/t\.larkfield\.example\/to\/[a-z2-7]{39}\.\n/,
    );
    const { links } = compileMessage({ ...GOOD, format: 'text', text }, known).message;
    expect(links).toEqual([]);
  });

  test('says its preview line first, hidden, filled and made safe', () => {
    const previewLine = '5 < 6, [[first_name else "<you>"]]';
    const { html } = write({
      previewLine,
      html: '<html><head><title>x</title></head><body class="a"><p>Hello</p></body></html>',
    });
    expect(html).toContain(
      '<body class="a"><div style="display:none;max-height:0;overflow:hidden">5 &#60; 6, Ada</div><p>Hello</p>',
    );
    expect(write({ previewLine: '' }).html).not.toContain('max-height:0');
    const nameless = { ...recipient, fields: standardFields('a@b.example', null) };
    const { message } = compileMessage({ ...GOOD, previewLine }, known);
    expect(writeMessage(message, nameless, SENDER, tokens).html).toMatch(/^<div [^>]*>5 &#60; 6, &#60;you&#62;<\/div>/);
  });

  test('that is a test leads where its links lead, stands for nobody, and says what it is', () => {
    const { message } = compileMessage(
      { ...GOOD, html: '<p>a <a href="https://x.example/?a=1&amp;b=2">b</a></p>' },
      known,
    );
    const written = writeTest(
      message,
      { to: 'rosa@larkfield.example', fields, by: 'Rosa <Lindgard>', number: '7' },
      SENDER,
      tokens,
    );
    expect(written).toMatchObject({ to: 'rosa@larkfield.example', envelopeFrom: 'test@returns.larkfield.example' });
    expect(written.subject).toBe('Test: What to find in the December sky');
    expect(written.html).toContain('href="https://x.example/?a=1&#38;b=2"');
    expect(written.html).toContain('Rosa &#60;Lindgard&#62; had it sent');
    expect(written.html).not.toContain('/seen/');
    expect(written.html).not.toContain('/to/');
    expect(written.text).toContain('https://x.example/?a=1&b=2');
    const [, token] = /out\/([a-z2-7]{39})/.exec(written.headers['List-Unsubscribe']!)!;
    expect(tokens.read(token!, 'unsubscribe')).toMatchObject(OF_A_TEST);
    expect(written.headers['List-Unsubscribe']).not.toContain('mailto');
  });

  test('of a test never names the contact whose data it has, other than where its author wrote a field', () => {
    const { message } = compileMessage({ ...GOOD, html: '<p>Good evening</p>' }, known);
    const written = writeTest(
      message,
      { to: 'rosa@larkfield.example', fields, by: 'Rosa', number: '7' },
      SENDER,
      tokens,
    );
    expect(JSON.stringify(written)).not.toContain('Ada');
  });

  test('uses the fields of what leaves: of text alone not those of the HTML that is kept beside it', () => {
    expect([...findUsedFields(GOOD).keys()]).toEqual(['first_name']);
    expect([...findUsedFields({ ...GOOD, format: 'text', text: '[[seat else "1"]] [[address]]' }).keys()]).toEqual([
      'seat',
    ]);
  });
});
