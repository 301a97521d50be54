import { makeSieve } from '../../src/core/import-engine/sieve.ts';
import { createHash } from 'node:crypto';
import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { parseAddress } from '../../src/core/address/normal-form.ts';
import { parseEntry, suppressionKeys } from '../../src/core/address/suppression-keys.ts';

describe('normal form of an address', () => {
  test.each([
    ['Ada.Brandt@LANTERNPOST.example', 'ada.brandt@lanternpost.example'],
    ['  <ada@quillmail.example> ', 'ada@quillmail.example'],
    ['ada@bücher.example', 'ada@xn--bcher-kva.example'],
    ['re\u0301ne@quillmail.example', 'r\u00e9ne@quillmail.example'],
    ['ana+moon@quillmail.example.', 'ana+moon@quillmail.example'],
  ])('%s', (text, address) => {
    expect(parseAddress(text)).toMatchObject({ ok: true, address });
  });

  test.each([
    ['', 'empty'],
    ['ada', 'no-at-sign'],
    ['ada@', 'no-at-sign'],
    ['a..b@quillmail.example', 'bad-local-part'],
    ['a b@quillmail.example', 'bad-local-part'],
    ['ada@localhost', 'bad-domain'],
    ['ada@127.0.0.1', 'bad-domain'],
    ['ada@-x.example', 'bad-domain'],
    [`${'a'.repeat(65)}@quillmail.example`, 'too-long'],
    ['ada\u200b@quillmail.example', 'control-character'],
  ])('%s is refused: %s', (text, problem) => {
    expect(parseAddress(text)).toEqual({ ok: false, problem });
  });

  test('any text gives an answer, and a normal form is its own normal form', () => {
    fc.assert(
      fc.property(fc.oneof(fc.string({ unit: 'grapheme' }), fc.emailAddress()), (text) => {
        const parsed = parseAddress(text);
        if (parsed.ok) expect(parseAddress(parsed.address)).toEqual(parsed);
      }),
      { numRuns: 1000 },
    );
  });
});

describe('suppression keys and entries', () => {
  test('an address is named by itself, its base, its domains and its hash', () => {
    expect(suppressionKeys('ana+moon@a.b.example')).toEqual({
      exact: 'ana+moon@a.b.example',
      base: 'ana@a.b.example',
      hash: createHash('sha256').update('ana+moon@a.b.example').digest('hex'),
      domains: ['a.b.example', '.a.b.example', '.b.example', '.example'],
    });
  });

  test.each([
    ['Ana@Quillmail.example', { kind: 'address', value: 'ana@quillmail.example' }],
    ['.Alumni.campusnet.example', { kind: 'domain', value: '.alumni.campusnet.example' }],
    ['@campusnet.example', { kind: 'domain', value: 'campusnet.example' }],
    ['AB'.repeat(32), { kind: 'hash', value: 'ab'.repeat(32) }],
    ['nonsense', undefined],
    ['', undefined],
  ])('entry %s', (text, entry) => {
    expect(parseEntry(text)).toEqual(entry);
  });
});

test('a sieve lets pass all that it holds, and hardly anything else, also when it holds more than it was made for', () => {
  for (const [made, held, most] of [
    [5000, 5000, 20],
    [1000, 5000, 4000],
    [0, 1, 1],
  ] as const) {
    const sieve = makeSieve(made);
    for (let n = 0; n < held; n++) sieve.add(`held${n}@quillmail.example`);
    const passing = (name: string, texts: number): number =>
      Array.from({ length: texts }, (_, n) => sieve.mayHold(`${name}${n}@quillmail.example`)).filter(Boolean).length;
    expect(passing('held', held)).toBe(held);
    const bytes = Buffer.from('held0@quillmail.example');
    expect(sieve.mayHoldBytes(bytes, 0, bytes.length)).toBe(true);
    expect(sieve.mayHoldBytes(bytes, 1, bytes.length)).toBe(false);
    expect(passing('other', 10_000)).toBeLessThanOrEqual(most);
  }
});
