import { afterAll, beforeAll, expect, test } from '@jest/globals';
import pino from 'pino';
import { MAX_MESSAGE_BYTES } from '../../src/core/returns/limits.ts';
import { makeReturnReader, type ReturnReader } from '../../src/service/intake/return-reader.ts';

let reader: ReturnReader;
beforeAll(() => {
  const thread = new URL('../support/reading-thread.mjs', import.meta.url).href;
  reader = makeReturnReader(pino({ level: 'silent' }), { thread, limitMs: 700 });
});
afterAll(() => reader.stop());

const read = async (text: string, to = ['']): Promise<string[]> =>
  (await reader.readReturns(Buffer.from(text), to)).readings.map(({ kind, because }) => `${kind}: ${because}`);

test('a message is read in a thread, for each address it came to, and of a larger one the beginning', async () => {
  expect(await read('hello', ['a', 'b'])).toEqual(['unknown: hello to a', 'unknown: hello to b']);
  expect((await read('x'.repeat(MAX_MESSAGE_BYTES + 100)))[0]).toHaveLength(
    'unknown: '.length + MAX_MESSAGE_BYTES + ' to '.length,
  );
});

test('one that would be read for ever ends as unreadable; meanwhile everything else goes on, and the next is read', async () => {
  let ticks = 0;
  const ticking = setInterval(() => ticks++, 5);
  const both = await Promise.all([read('for ever', ['a', 'b']), read('hello')]);
  clearInterval(ticking);
  const because = 'unreadable: reading it took longer than 0.7 seconds';
  expect(both).toEqual([[because, because], ['unknown: hello to ']]);
  expect(ticks).toBeGreaterThan(20);
});

test('so does one that the reader fails on, and one that takes more memory than there is for it', async () => {
  const [failed, greedy, next] = await Promise.all([read('fails'), read('memory'), read('hello')]);
  expect(failed).toEqual(['unreadable: the reader stopped: no such thing']);
  expect(greedy[0]).toMatch(/^unreadable: (the reader stopped: .*memory|reading it took longer)/);
  expect(next).toEqual(['unknown: hello to ']);
});
