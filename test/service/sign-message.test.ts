import { generateKeyPairSync } from 'node:crypto';
import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import type { WrittenMessage } from '../../src/core/message/compile-message.ts';
import { dkimRecord, publicKeyOf, type DkimSigner } from '../../src/core/message/dkim.ts';
import { makeMimeBuilder } from '../../src/service/relay/mime-skeleton.ts';
import { signMessage } from '../../src/service/relay/sign-message.ts';
import { verifyDkim } from '../support/verify-dkim.ts';

const MESSAGE: WrittenMessage = {
  envelopeFrom: 'b.token@returns.larkfield.example',
  to: 'ana@quillmail.example',
  from: { name: 'Larkfield Observatory', address: 'digest@larkfield.example' },
  subject: 'The December sky, and what to find in it: a subject so long that it has to be folded onto a second line',
  html: '<p>Hello  there </p>\n\n\n',
  text: 'Hello  there \n.\n..\n\n\n',
  messageId: '<token@larkfield.example>',
  headers: {
    'List-Unsubscribe': `<https://larkfield.example/out/${'a'.repeat(60)}>, <mailto:u.${'b'.repeat(39)}@returns.larkfield.example?subject=unsubscribe>`,
    'List-Unsubscribe-Post': 'List-Unsubscribe=One-Click',
    'List-Id': 'Members’ Letter <members-letter.larkfield.example>',
  },
};
const signerOf = (selector: string, bits = 2048): DkimSigner => ({
  domain: 'larkfield.example',
  selector,
  privateKey: generateKeyPairSync('rsa', { modulusLength: bits }).privateKey,
});
const recordsOf = (keys: readonly DkimSigner[]): Record<string, string> =>
  Object.fromEntries(
    keys.map(({ selector, domain, privateKey }) => {
      const { name, value } = dkimRecord(selector, domain, publicKeyOf(privateKey));
      return [name, value];
    }),
  );
const [OLD, NEW] = [signerOf('nov2026'), signerOf('dec2026')];

test('another implementation finds the signature right, and that it covers the way out', async () => {
  const raw = await makeMimeBuilder()(MESSAGE);
  const signed = await signMessage(raw, [OLD]);
  expect(signed.subarray(signed.length - raw.length)).toEqual(raw);
  const [found, ...more] = verifyDkim(signed, recordsOf([OLD]));
  expect(more).toEqual([]);
  expect(found).toMatchObject({ domain: 'larkfield.example', selector: 'nov2026', holds: true });
  expect(found!.fields).toEqual(
    expect.arrayContaining(['from', 'to', 'subject', 'list-id', 'list-unsubscribe', 'list-unsubscribe-post']),
  );
});

test('with two keys both signatures hold; with the wrong key, or one letter changed, none does', async () => {
  const signed = await signMessage(await makeMimeBuilder()(MESSAGE), [OLD, NEW]);
  expect(
    verifyDkim(signed, recordsOf([OLD, NEW]))
      .map(({ selector, holds }) => [selector, holds])
      .sort(),
  ).toEqual([
    ['dec2026', true],
    ['nov2026', true],
  ]);
  expect(
    verifyDkim(signed, recordsOf([OLD]))
      .map(({ holds }) => holds)
      .sort(),
  ).toEqual([false, true]);
  const changed = signed.toString('latin1').replace('Hello', 'Hallo');
  expect(verifyDkim(Buffer.from(changed, 'latin1'), recordsOf([OLD, NEW])).map(({ holds }) => holds)).toEqual([
    false,
    false,
  ]);
});

test('without a key a message leaves as it is; text alone is signed, too', async () => {
  const raw = await makeMimeBuilder()({ ...MESSAGE, html: null });
  expect(await signMessage(raw, [])).toBe(raw);
  expect(verifyDkim(await signMessage(raw, [NEW]), recordsOf([NEW]))).toMatchObject([{ holds: true }]);
});

test('whatever is written, its signature holds', async () => {
  const text = fc
    .array(
      fc.oneof(
        fc.string({ unit: 'grapheme', maxLength: 60 }),
        fc.constantFrom('\n', ' \n', '\t', '.', '\r\n', ' '.repeat(90), 'é'),
      ),
    )
    .map((all) => all.join(''));
  const build = makeMimeBuilder();
  await fc.assert(
    fc.asyncProperty(text, text, async (html, plain) => {
      const signed = await signMessage(await build({ ...MESSAGE, html, text: plain }), [NEW]);
      expect(verifyDkim(signed, recordsOf([NEW]))).toMatchObject([{ holds: true }]);
    }),
    { numRuns: 25 },
  );
});
