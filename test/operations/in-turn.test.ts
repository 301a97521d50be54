import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { makeInTurn } from '../../src/operations/in-turn.ts';

test('one piece at a time, in the order in which they came, and one that fails holds up nobody', async () => {
  await fc.assert(
    fc.asyncProperty(fc.scheduler(), fc.array(fc.boolean(), { maxLength: 8 }), async (scheduler, fails) => {
      const inTurn = makeInTurn();
      const log: string[] = [];
      const pieces = fails.map((fail, number) =>
        inTurn(async () => {
          log.push(`begin ${number}`);
          await scheduler.schedule(Promise.resolve());
          log.push(`end ${number}`);
          if (fail) throw new Error(`piece ${number}`);
          return number;
        }),
      );
      const settled = Promise.allSettled(pieces);
      await scheduler.waitFor(settled);
      expect(log).toEqual(fails.flatMap((_, number) => [`begin ${number}`, `end ${number}`]));
      expect((await settled).map(({ status }) => status === 'rejected')).toEqual(fails);
    }),
  );
});
