import { expect, test } from '@jest/globals';
import { inPieces } from '../../src/operations/in-pieces.ts';

test('pieces come in their order, and the giver waits until each is taken', async () => {
  const said: string[] = [];
  const pieces = inPieces<number>(async (give) => {
    for (const one of [1, 2, 3]) {
      await give(one);
      said.push(`taken ${one}`);
    }
    said.push('ended');
  });
  for await (const one of pieces) said.push(`got ${one}`);
  expect(said).toEqual(['got 1', 'taken 1', 'got 2', 'taken 2', 'got 3', 'taken 3', 'ended']);
});

test('work that fails fails the stream, after what it gave before', async () => {
  const got: number[] = [];
  const failing = async (): Promise<void> => {
    for await (const one of inPieces<number>(async (give) => {
      await give(1);
      throw new Error('no more');
    }))
      got.push(one);
  };
  await expect(failing()).rejects.toThrow('no more');
  expect(got).toEqual([1]);
});

test('a taker who leaves ends the giver, whose work is told and cleaned up', async () => {
  const said: string[] = [];
  for await (const one of inPieces<number>(async (give) => {
    try {
      for (let next = 1; ; next++) await give(next);
    } catch (error) {
      said.push('rolled back');
      throw error;
    }
  })) {
    if (one === 2) break;
  }
  expect(said).toEqual(['rolled back']);
});
