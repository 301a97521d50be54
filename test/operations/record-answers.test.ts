import { expect, test } from '@jest/globals';
import { makeAnswerRecorder, type Answer } from '../../src/operations/campaigns/record-answers.ts';

const answer = (contactId: number): Answer => ({
  one: {
    contactId,
    address: `reader${contactId}@lanternpost.example`,
    name: null,
    attributes: {},
    attempts: 0,
    firstTriedAt: null,
    claimId: '00000000-0000-4000-8000-000000000009',
  },
  handover: { outcome: 'accepted', reply: '250 kept' },
  at: 0,
});

test('no more recipients pass than may be unrecorded, however slow recording is', async () => {
  const written: number[] = [];
  let passed = 0;
  let most = 0;
  const recorder = makeAnswerRecorder(10, async (answers) => {
    await new Promise((resolve) => setTimeout(resolve, 3));
    written.push(...answers.map(({ one }) => one.contactId));
  });
  for (let group = 0; group < 20; group++) {
    await recorder.room(4);
    recorder.expect(4);
    for (let index = 0; index < 4; index++) recorder.add(answer(passed++));
    most = Math.max(most, passed - written.length);
  }
  await recorder.done();
  expect(most).toBeLessThanOrEqual(10);
  expect(written.sort((a, b) => a - b)).toEqual(Array.from({ length: 80 }, (_, index) => index));
});

test.each([
  ['an error of the database', () => new Error('the database restarts')],
  ['what a driver trips over when its connection has gone', () => new TypeError('Cannot read properties of null')],
])(
  'answers that cannot be recorded at first are recorded when they can be, before later ones: %s',
  async (_, failure) => {
    const written: number[][] = [];
    let failures = 2;
    const recorder = makeAnswerRecorder(50, async (answers) => {
      if (failures-- > 0) throw failure();
      written.push(answers.map(({ one }) => one.contactId));
    });
    recorder.expect(30);
    for (let id = 0; id < 30; id++) recorder.add(answer(id));
    await recorder.done();
    expect(written).toHaveLength(2);
    expect(written.flat()).toEqual(Array.from({ length: 30 }, (_, id) => id));
  },
);
