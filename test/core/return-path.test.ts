import { expect, test } from '@jest/globals';
import { returnPathBy, returnsToProblem } from '../../src/core/message/return-path.ts';
import { makeTokenizer } from '../../src/core/message/token.ts';
import { ownAddressKind, ownAddressToken } from '../../src/core/returns/original-message.ts';

const token = makeTokenizer([{ version: 1, secret: Buffer.alloc(32, 7) }]).make({
  use: 'return',
  campaignId: 4_000_000_000,
  contactId: 5_000_000_000,
  link: 0,
});
const OWN = `b.${token}@returns.larkfield.example`;

test('without a place of its own the return path stays as it is', () => {
  expect(returnPathBy(OWN, null)).toBe(OWN);
});

test('under a domain the local part stays, and tells the same message', () => {
  const path = returnPathBy(OWN, 'back.second.example');
  expect(path).toBe(`b.${token}@back.second.example`);
  expect([ownAddressKind(path), ownAddressToken(path)]).toEqual(['b', token]);
});

test('at a mailbox it is a sub-address, and tells the same message', () => {
  const path = returnPathBy(OWN, 'bounces@second.example');
  expect(path).toBe(`bounces+b.${token}@second.example`);
  expect([ownAddressKind(path), ownAddressToken(path)]).toEqual(['b', token]);
});

test('the longest mailbox that is taken makes a local part of 64 letters, and one more is refused', () => {
  const longest = `${'m'.repeat(22)}@second.example`;
  expect(returnsToProblem(longest)).toBeUndefined();
  expect(returnPathBy(OWN, longest).split('@')[0]).toHaveLength(64);
  expect(returnsToProblem(`m${longest}`)).toContain('Take a name of 22 at most');
});

test.each([
  ['back.second.example', undefined],
  ['bounces@second.example', undefined],
  ['not a domain', 'neither a domain nor the address of a mailbox'],
  ['@second.example', 'neither a domain nor the address of a mailbox'],
  ['bounces@', 'neither a domain nor the address of a mailbox'],
  ['two@second.example, three@second.example', 'neither a domain nor the address of a mailbox'],
  ['bounces+all@second.example', 'holds a “+” already'],
  ['', 'neither a domain nor the address of a mailbox'],
])('“%s” as a place for returns', (given, problem) => {
  const said = returnsToProblem(given);
  if (problem === undefined) expect(said).toBeUndefined();
  else expect(said).toContain(problem);
});
