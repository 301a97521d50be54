import { mkdtempSync, readdirSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect, test } from '@jest/globals';
import { throughFile } from '../../src/operations/through-file.ts';

async function take(stream: AsyncGenerator<string>): Promise<string> {
  let text = '';
  for await (const piece of stream) text += piece;
  return text;
}

test('what is given comes whole and in order, characters that a piece cuts in two among it', async () => {
  const line = 'Ørsted, 天文台, 🔭\n';
  const given = line.repeat(40_000);
  const stream = throughFile(async (give) => {
    for (let at = 0; at < 40; at++) await give(line.repeat(1000));
  });
  expect(await take(stream)).toBe(given);
});

test('the giver ends whether anybody takes or not, and nothing is left behind', async () => {
  const folder = mkdtempSync(join(tmpdir(), 'avendel-through-file-'));
  let ended = false;
  const stream = throughFile(async (give) => {
    for (let at = 0; at < 200; at++) await give('x'.repeat(10_000));
    ended = true;
  }, folder);
  expect((await stream.next()).done).toBe(false);
  // Nothing more is taken: it ends all the same.
  while (!ended) await new Promise((resolve) => setImmediate(resolve));
  await stream.return(undefined);
  expect(readdirSync(folder)).toEqual([]);
  rmSync(folder, { recursive: true });
});

test('work that fails fails the stream, after what it gave before', async () => {
  const got: string[] = [];
  const failing = async (): Promise<void> => {
    for await (const one of throughFile(async (give) => {
      await give('one');
      throw new Error('no more');
    }))
      got.push(one);
  };
  await expect(failing()).rejects.toThrow('no more');
  expect(got).toEqual(['one']);
});

test('a taker who leaves ends the giver, whose work is told and cleaned up', async () => {
  const said: string[] = [];
  for await (const one of throughFile(async (give) => {
    try {
      for (;;) await give('more ');
    } catch (error) {
      said.push('rolled back');
      throw error;
    }
  })) {
    expect(one).toMatch(/^(more )+$/);
    break;
  }
  expect(said).toEqual(['rolled back']);
});
