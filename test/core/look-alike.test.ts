import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import {
  decideCheck,
  decideDomain,
  DEFAULT_SEVERITIES,
  describeAddress,
  syntaxFinding,
} from '../../src/core/address/check-address.ts';
import { findLookAlike, slipDistance, type DomainStanding } from '../../src/core/address/look-alike.ts';

const standing = (domain: string, contacts: number, accepted = 0, delivered = 0): DomainStanding => ({
  domain,
  contacts,
  accepted,
  delivered,
});
const KNOWN = [
  standing('lanternpost.example', 3410, 40_000, 38_800),
  standing('quillmail.example', 2000, 30_000, 29_000),
  standing('lanternpost.exmaple', 14, 60, 0),
  standing('lanternpast.example', 900, 9000, 8900),
  standing('broken.example', 5000, 900, 3),
];

const FINE = { lookAlike: undefined, exchange: 'some' as const, refused: undefined };

describe('how far a slip is', () => {
  test.each([
    ['lanternpost.example', 'lanternpost.example', 0],
    ['lanternpost.exmaple', 'lanternpost.example', 0.5],
    ['lanternpsot.example', 'lanternpost.example', 0.5],
    ['lanternpost.examole', 'lanternpost.example', 0.5],
    ['llanternpost.example', 'lanternpost.example', 0.5],
    ['lanternpost.exampl', 'lanternpost.example', 1],
    ['xanternpost.example', 'lanternpost.example', 1],
    ['moon.example', 'lanternpost.example', Infinity],
  ])('%s, %s: %d', (a, b, distance) => {
    expect(slipDistance(a, b)).toBe(distance);
  });

  test('it is the same both ways, zero only between equals, and one edit is at most one', () => {
    const word = fc.stringMatching(/^[a-z]{1,12}$/);
    fc.assert(
      fc.property(word, word, fc.nat(), fc.constantFrom('q', 'm', '7'), (a, b, place, letter) => {
        expect(slipDistance(a, b)).toBe(slipDistance(b, a));
        expect(slipDistance(a, b) === 0).toBe(a === b);
        const at = place % a.length;
        expect(slipDistance(a, a.slice(0, at) + letter + a.slice(at + 1))).toBeLessThanOrEqual(1);
      }),
    );
  });
});

describe('a look-alike domain', () => {
  test('that never delivered is proposed for mending, with the evidence', () => {
    const found = findLookAlike('lanternpost.exmaple', KNOWN)!;
    expect(found).toMatchObject({ proposed: { domain: 'lanternpost.example' }, given: { contacts: 14 } });
    expect(
      describeAddress(
        {
          local: 'ana',
          domain: 'lanternpost.exmaple',
          known: false,
          erased: false,
          suppressedBy: [],
          of: { ...FINE, lookAlike: found },
        },
        DEFAULT_SEVERITIES,
      ),
    ).toEqual([
      {
        code: 'look-alike-domain',
        severity: 'hold',
        text: '14 contacts at lanternpost.exmaple, none ever delivered; 3,410 at lanternpost.example, 97 % delivered.',
        proposal: 'ana@lanternpost.example',
      },
    ]);
    expect(findLookAlike('quilmail.example', KNOWN)!.given.contacts).toBe(0);
  });

  test.each([
    ['one that delivers, however close to a larger one', 'lanternpast.example'],
    ['the common one itself', 'lanternpost.example'],
    ['one close only to a domain that does not deliver', 'brokn.example'],
    ['one close to nothing', 'observatory.example'],
  ])('%s is left alone', (_, domain) => {
    expect(findLookAlike(domain, KNOWN)).toBeUndefined();
  });

  test('among few contacts nothing is common enough to learn from', () => {
    expect(findLookAlike('lanternpost.exmaple', [standing('lanternpost.example', 20, 100, 100)])).toBeUndefined();
  });
});

test('the gravest finding decides; notes alone refuse nobody', () => {
  const facts = {
    local: 'postmaster',
    domain: 'lanternpost.example',
    known: true,
    erased: false,
    suppressedBy: ['Do not write'],
    of: FINE,
  };
  const notes = describeAddress(facts, DEFAULT_SEVERITIES);
  expect(notes.map((finding) => finding.code)).toEqual(['suppressed', 'role-name', 'known']);
  expect(decideCheck(notes)).toBe('fine');
  expect(
    decideCheck(
      describeAddress(
        { ...facts, of: { ...FINE, lookAlike: findLookAlike('lanternpost.exmaple', KNOWN) } },
        DEFAULT_SEVERITIES,
      ),
    ),
  ).toBe('hold');
  expect(decideCheck(describeAddress({ ...facts, erased: true }, DEFAULT_SEVERITIES))).toBe('refuse');
  expect(decideCheck(describeAddress(facts, { ...DEFAULT_SEVERITIES, 'role-name': 'refuse' }))).toBe('refuse');
  expect(decideCheck([syntaxFinding('bad-domain')])).toBe('refuse');
});

test('of what speaks against a domain the gravest decides, by the severities that are set', () => {
  const facts = { ...FINE, exchange: 'none' as const, lookAlike: findLookAlike('lanternpost.exmaple', KNOWN) };
  expect(decideDomain(FINE, DEFAULT_SEVERITIES)).toBeUndefined();
  expect(decideDomain({ ...FINE, exchange: 'unknown' }, DEFAULT_SEVERITIES)).toBeUndefined();
  expect(decideDomain({ ...FINE, exchange: 'null' }, DEFAULT_SEVERITIES)).toEqual({
    code: 'null-exchanger',
    severity: 'refuse',
  });
  expect(decideDomain(facts, DEFAULT_SEVERITIES)).toEqual({ code: 'no-exchanger', severity: 'hold' });
  expect(decideDomain(facts, { ...DEFAULT_SEVERITIES, 'look-alike-domain': 'refuse' })).toEqual({
    code: 'look-alike-domain',
    severity: 'refuse',
  });
  expect(
    decideDomain(facts, { ...DEFAULT_SEVERITIES, 'look-alike-domain': 'note', 'no-exchanger': 'note' }),
  ).toBeUndefined();
});
