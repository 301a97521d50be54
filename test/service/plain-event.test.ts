import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { isPlainEvent } from '../../src/service/http/plain-event.ts';
import { event as schema } from '../../src/shared/contract/events.ts';

const GOOD = {
  kind: 'visited',
  at: '2026-11-23T10:00:00Z',
  source: 'website',
  externalId: 'v-1',
  address: 'ana@quillmail.example',
  brandId: 1,
};

test('whatever passes as plain passes the schema, and means the same', () => {
  const value = fc.oneof(
    fc.string(),
    fc.integer(),
    fc.constantFrom(
      'hard',
      'bounced',
      ' x',
      '',
      '2026-02-30T10:00:00Z',
      '2026-11-23',
      '2026-11-23T10:00:00+01:00',
      null,
      true,
      3.5,
      'a'.repeat(400),
      'line\nbreak',
    ),
    fc.array(fc.nat()),
  );
  const name = fc.constantFrom(
    ...Object.keys(GOOD),
    'campaignId',
    'class',
    'status',
    'reply',
    'url',
    'link',
    'userAgent',
    'lists',
    'way',
    'what',
    'other',
    '__proto__',
  );
  let plain = 0;
  fc.assert(
    fc.property(fc.array(fc.tuple(name, value), { maxLength: 3 }), (changes) => {
      const event: Record<string, unknown> = { ...GOOD };
      for (const [key, changed] of changes) event[key] = changed;
      if (!isPlainEvent(event)) return;
      plain++;
      expect(schema.validate(event)).toEqual({ value: { ...event, at: new Date(String(event['at'])).toISOString() } });
    }),
    { numRuns: 5000 },
  );
  expect(plain).toBeGreaterThan(100);
  expect([
    isPlainEvent(GOOD),
    isPlainEvent([GOOD]),
    isPlainEvent(null),
    isPlainEvent({ ...GOOD, address: undefined }),
  ]).toEqual([true, false, false, false]);
});
