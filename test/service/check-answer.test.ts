import { expect, test } from '@jest/globals';
import { Problem } from '../../src/operations/problem.ts';
import { checkAnswer, checkRefusal } from '../../src/service/http/check-answer.ts';
import { suppression } from '../../src/shared/contract/suppression.ts';
import { segments } from '../../src/shared/contract/segments.ts';

const { stopped, lift } = suppression;

test('an answer is held against its contract as JSON says it', () => {
  expect(() => checkAnswer(lift, { runId: 1, lifted: 2 })).not.toThrow();
  expect(() => checkAnswer(stopped, { contacts: 1, entries: [], unreadable: [undefined] })).toThrow(
    'the answer of POST /suppression/stopped is not as its contract says: unreadable.0',
  );
  // An instant is a text by then.
  const [segment] = [
    {
      id: 1,
      brandId: 1,
      name: 'Readers',
      description: '',
      tags: [],
      condition: 'everyone',
      version: 1,
      changedAt: new Date(),
      changedBy: 'Rosa Lindgard',
    },
  ];
  expect(() => checkAnswer(segments.segments, [segment])).not.toThrow();
  expect(() => checkAnswer(segments.segments, [{ ...segment, changedAt: 'yesterday' }])).toThrow(/0\.changedAt/);
});

test('what is missing, what is too much, and what is of another kind is named', () => {
  expect(() => checkAnswer(lift, { runId: '1', more: true })).toThrow(/runId.*lifted.*more|lifted.*more/);
  expect(() => checkAnswer(lift, undefined)).toThrow(/there is none/);
});

test('where nothing is answered, nothing may be', () => {
  expect(() => checkAnswer(segments.removeSegment, undefined)).not.toThrow();
  expect(() => checkAnswer(segments.removeSegment, null)).not.toThrow();
  expect(() => checkAnswer(segments.removeSegment, { id: 1 })).toThrow(/there is an answer/);
  expect(() => checkAnswer(suppression.exportEntries, { id: 1 })).toThrow(/neither an answer nor a file/);
});

test('a refusal is one that the contract speaks of, or one that any route may give', () => {
  expect(() => checkRefusal(stopped, new Problem('invalid-input', 'no'))).not.toThrow();
  expect(() => checkRefusal({ ...stopped, problems: ['built-in'] }, new Problem('built-in', 'no'))).not.toThrow();
  expect(() => checkRefusal({ ...stopped, problems: [] }, new Problem('built-in', 'no'))).toThrow(
    'POST /suppression/stopped refuses with built-in, of which its contract says nothing',
  );
  // What is no refusal goes on as the failure it is.
  expect(() => checkRefusal(stopped, new Error('broken'))).not.toThrow();
});
