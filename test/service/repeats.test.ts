import { expect, test } from '@jest/globals';
import type { IncomingEvent } from '../../src/operations/events/record-events.ts';
import { makeRepeats } from '../../src/service/tracking/repeats.ts';

const click = (of: Partial<IncomingEvent> = {}): IncomingEvent => ({
  kind: 'clicked',
  at: 0,
  source: 'avendel',
  externalId: 'x',
  contactId: 1,
  brandId: 1,
  campaignId: 1,
  detail: { link: 1 },
  ...of,
});
const recorded = (event: IncomingEvent, times: number, repeats = makeRepeats()): number =>
  Array.from({ length: times }, () => repeats.isRecorded(event)).filter(Boolean).length;

test('of one link of one message so many clicks are recorded within an hour, and then again', () => {
  const repeats = makeRepeats();
  expect(recorded(click(), 1000, repeats)).toBe(20);
  expect(repeats.leftOut()).toBe(980);
  expect(recorded(click({ at: 3_599_999 }), 5, repeats)).toBe(0);
  expect(recorded(click({ at: 3_600_000 }), 50, repeats)).toBe(20);
});

test('other links, messages, people and kinds are counted by themselves', () => {
  const repeats = makeRepeats();
  recorded(click(), 100, repeats);
  for (const other of [{ detail: { link: 2 } }, { campaignId: 2 }, { contactId: 2 }, { kind: 'opened' as const }])
    expect([other, recorded(click(other), 100, repeats)]).toEqual([other, 20]);
});

test('visits have room for a long reading, and nobody’s word is ever left out', () => {
  expect(recorded(click({ kind: 'visited' }), 1000)).toBe(200);
  for (const kind of ['unsubscribed', 'subscribed', 'confirmed'] as const)
    expect(recorded(click({ kind }), 1000)).toBe(1000);
});

test('somebody who repeats stays counted while many others come by', () => {
  const repeats = makeRepeats();
  for (let contactId = 0; contactId < 60_000; contactId++) {
    repeats.isRecorded(click({ contactId: contactId + 10 }));
    if (contactId % 1000 === 0) repeats.isRecorded(click({ contactId: 1 }));
  }
  expect(recorded(click({ contactId: 1 }), 10, repeats)).toBe(0);
});
