import { generateKeyPairSync } from 'node:crypto';
import { describe, expect, test } from '@jest/globals';
import {
  dkimRecord,
  isAligned,
  publicKeyOf,
  publishesKey,
  readDkimKey,
  selectorProblem,
} from '../../src/core/message/dkim.ts';

const pemOf = (bits: number): string =>
  generateKeyPairSync('rsa', { modulusLength: bits }).privateKey.export({ type: 'pkcs1', format: 'pem' }).toString();

describe('a private key', () => {
  test('of RSA is read, in either form of PEM', () => {
    const read = readDkimKey(pemOf(2048));
    expect('key' in read && read.key.asymmetricKeyDetails?.modulusLength).toBe(2048);
  });

  test.each([
    ['nothing', '', 'no private key'],
    ['a text', 'the dome is open', 'no private key'],
    [
      'a public key',
      generateKeyPairSync('rsa', { modulusLength: 2048 }).publicKey.export({ type: 'spki', format: 'pem' }).toString(),
      'no private key',
    ],
    [
      'another kind',
      generateKeyPairSync('ed25519').privateKey.export({ type: 'pkcs8', format: 'pem' }).toString(),
      'of the kind ed25519',
    ],
    ['one that is too short', pemOf(512), 'has 512 bits'],
    [
      'one with a passphrase',
      generateKeyPairSync('rsa', { modulusLength: 2048 })
        .privateKey.export({ type: 'pkcs8', format: 'pem', cipher: 'aes-256-cbc', passphrase: 'x' })
        .toString(),
      'no private key',
    ],
  ])('that is %s is refused in words', (_, pem, said) => {
    const read = readDkimKey(pem);
    expect('problem' in read && read.problem).toContain(said);
    // Never a part of what was given.
    expect('problem' in read && pem !== '' && read.problem.includes(pem)).toBe(false);
  });
});

describe('the record', () => {
  const publicKey = publicKeyOf(generateKeyPairSync('rsa', { modulusLength: 1024 }).privateKey);
  const { name, value } = dkimRecord('dec2026', 'larkfield.example', publicKey);

  test('stands under the selector, and publishes the key', () => {
    expect(name).toBe('dec2026._domainkey.larkfield.example');
    expect(publishesKey(value, publicKey)).toBe(true);
  });

  test.each<[string, (value: string) => string, boolean]>([
    [
      'with its tags in another order and spaces in the key',
      () => ` p=${publicKey.slice(0, 9)} ${publicKey.slice(9)} ; k=rsa;v=DKIM1 ;`,
      true,
    ],
    ['without its version', (text) => text.replace('v=DKIM1; ', ''), true],
    ['of another version', (text) => text.replace('DKIM1', 'DKIM2'), false],
    ['of a key that was taken back', () => 'v=DKIM1; p=', false],
    ['of another key', (text) => text.replace(/.$/, ''), false],
    ['that is none', () => 'v=spf1 -all', false],
  ])('%s', (_, change, agrees) => expect(publishesKey(change(value), publicKey)).toBe(agrees));
});

test.each([
  ['larkfield.example', 'digest@larkfield.example', true],
  ['larkfield.example', 'digest@mail.larkfield.example', true],
  ['mail.larkfield.example', 'digest@larkfield.example', true],
  ['field.example', 'digest@larkfield.example', false],
  ['quillmail.example', 'digest@larkfield.example', false],
  ['example', 'digest@larkfield.example', false],
])('a signature of %s for %s: %s', (domain, address, speaks) => expect(isAligned(domain, address)).toBe(speaks));

test.each(['dec2026', 'a.b', 's1', '0'])('%s is a selector', (one) => expect(selectorProblem(one)).toBeUndefined());
test.each(['', 'Dec', 'a b', '-a', 'a-', 'a..b', 'a;p=x', `a\r\nb`, 'a_b', 'x'.repeat(64), `${'a.'.repeat(70)}a`])(
  '%j is none',
  (one) => expect(selectorProblem(one)).toContain('is no selector'),
);
