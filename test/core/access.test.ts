import { randomBytes } from 'node:crypto';
import { describe, expect, test } from '@jest/globals';
import { passwordProblem } from '../../src/core/access/password.ts';
import { makeSecrets, readSecretKeys } from '../../src/core/access/seal.ts';
import { waitAfter, TRIES_BY } from '../../src/core/access/sign-in-wait.ts';
import { isLoopback } from '../../src/core/address/network-block.ts';
import { makeTokenizer } from '../../src/core/message/token.ts';
import { isEnough, TOKEN_SCOPES } from '../../src/shared/access.ts';

const ROSA = { email: 'rosa.lindgard@larkfield.example', name: 'Rosa Lindgard' };

describe('passwords', () => {
  test.each([
    ['short', 'has 12 characters at least; this one has 5'],
    ['elevenchars', 'this one has 11'],
    ['x'.repeat(201), 'has 200 characters at most; this one has 201'],
    ['password1234', 'tried first'],
    ['PASSWORD2026!', 'tried first'],
    ['passwordpassword', 'tried first'],
    ['dragondragondragon', 'tried first'],
    ['qwertyuiop123', 'tried first'],
    ['aaaaaaaabbbbbbb', 'fewer than four different characters'],
    ['rosa.lindgard@larkfield.example', 'your own name or address'],
    ['Rosa Lindgard 1987', 'your own name or address'],
  ])('%s is refused: %s', (password, because) => {
    expect(passwordProblem(password, ROSA)).toContain(because);
  });

  test.each([
    'a brass planisphere',
    'korrekt batteri häst',
    'tFq9-mm2x-Lw0z',
    '🌙🌗🌕🌓 over the hill',
    'the observatory dome',
  ])('%s is taken', (password) => {
    expect(passwordProblem(password, ROSA)).toBeUndefined();
  });

  test('characters are counted, not their parts', () => {
    expect(passwordProblem('🌙'.repeat(11), ROSA)).toContain('this one has 11');
  });
});

test('waits double from a second and never pass a minute; of one address from everywhere it is five seconds', () => {
  const waits = (by: (typeof TRIES_BY)[number], ...wrong: number[]): number[] => wrong.map((n) => waitAfter(by, n));
  expect(waits('address-and-network', 0, 4, 5, 6, 7, 10, 11, 1000)).toEqual([0, 0, 1, 2, 4, 32, 60, 60]);
  expect(waits('network', 19, 20, 21, 5000)).toEqual([0, 1, 2, 60]);
  expect(waits('address', 19, 20, 5000)).toEqual([0, 5, 5]);
});

test('a scope is enough for itself and what stands before it', () => {
  expect(TOKEN_SCOPES.map((scope) => TOKEN_SCOPES.filter((needed) => isEnough(scope, needed)))).toEqual([
    ['read'],
    ['read', 'write'],
    ['read', 'write', 'send'],
    ['read', 'write', 'send', 'administer'],
  ]);
});

test('this machine, and what only looks like it', () => {
  for (const own of ['127.0.0.1', '127.8.8.8', 'localhost', 'LOCALHOST', '::1', '[::1]'])
    expect([own, isLoopback(own)]).toEqual([own, true]);
  for (const other of [
    '127.0.0.1.larkfield.example',
    'localhost.larkfield.example',
    '128.0.0.1',
    '::2',
    '',
    '192.0.2.1',
  ])
    expect([other, isLoopback(other)]).toEqual([other, false]);
});

describe('secrets', () => {
  const [one, two] = [randomBytes(32), randomBytes(32)];
  const secret = Buffer.from('planisphere');

  test('open with the key and for the purpose they were sealed with, and look different each time', () => {
    const secrets = makeSecrets([one]);
    const sealed = secrets.seal(secret, 'mailbox a:993 b');
    expect(secrets.open(sealed, 'mailbox a:993 b')).toEqual(secret);
    expect(secrets.open(sealed, 'mailbox c:993 b')).toBeUndefined();
    expect(makeSecrets([two]).open(sealed, 'mailbox a:993 b')).toBeUndefined();
    expect(secrets.seal(secret, 'mailbox a:993 b')).not.toEqual(sealed);
    expect(sealed.includes(secret)).toBe(false);
    expect(secrets.open(secrets.seal(Buffer.alloc(0), 'x'), 'x')).toEqual(Buffer.alloc(0));
  });

  test('any byte changed, or any cut off, opens nothing and throws nothing', () => {
    const secrets = makeSecrets([one]);
    const sealed = secrets.seal(secret, 'x');
    for (let at = 0; at < sealed.length; at++) {
      const changed = Buffer.from(sealed);
      changed[at]! ^= 1;
      expect([at, secrets.open(changed, 'x')]).toEqual([at, undefined]);
      expect([at, secrets.open(sealed.subarray(0, at), 'x')]).toEqual([at, undefined]);
    }
  });

  test('a new key before the old opens both, seals with the new, and tells which are old', () => {
    const before = makeSecrets([one]).seal(secret, 'x');
    const both = makeSecrets([two, one]);
    expect([both.open(before, 'x'), both.isOld(before), both.isOld(both.seal(secret, 'x'))]).toEqual([
      secret,
      true,
      false,
    ]);
    expect(makeSecrets([two]).open(both.seal(secret, 'x'), 'x')).toEqual(secret);
  });

  test('keys are read in base64 and hex, and one of another length is refused without being shown', () => {
    expect(readSecretKeys(` ${one.toString('base64')}\n${two.toString('hex')}\n`)).toEqual([one, two]);
    expect(() => readSecretKeys('c2hvcnQ=')).toThrow('key 1 has 5 bytes and not 32');
    expect(() => readSecretKeys('c2hvcnQ=')).not.toThrow(/c2hvcnQ/);
    expect(() => readSecretKeys(' \n')).toThrow('there is no key in it');
  });
});

test('a new signing key is used from its instant on; what older ones signed stays valid', () => {
  const payload = { use: 'click' as const, campaignId: 7, contactId: 8, link: 9 };
  const [first, second] = [
    { version: 1, secret: randomBytes(32) },
    { version: 2, secret: randomBytes(32), activeAt: 1000 },
  ];
  const tokens = makeTokenizer([first], 0);
  const old = tokens.make(payload);
  tokens.useKeys([second, first], 999);
  expect(tokens.make(payload)).toBe(old);
  tokens.useKeys([second, first], 1000);
  const fresh = tokens.make(payload);
  expect(fresh).not.toBe(old);
  expect([tokens.read(old, 'click'), tokens.read(fresh, 'click')]).toEqual([payload, payload]);
  expect(makeTokenizer([first], 0).read(fresh, 'click')).toBeUndefined();
});
