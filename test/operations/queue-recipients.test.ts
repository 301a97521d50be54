import { expect, test } from '@jest/globals';
import { queueRecipients, type Gates, type RecipientQueue } from '../../src/operations/campaigns/queue-recipients.ts';
import type { ClaimedDelivery } from '../../src/store/statements/deliveries.ts';

const recipient = (contactId: number, claimId = 'first'): ClaimedDelivery => ({
  contactId,
  address: `reader${contactId}@lanternpost.example`,
  name: null,
  attributes: {},
  attempts: 0,
  firstTriedAt: null,
  claimId,
});
const claimOf = (from: number, to: number, claimId?: string): ClaimedDelivery[] =>
  Array.from({ length: to - from + 1 }, (_, place) => recipient(from + place, claimId));

/** Gates that let everybody pass, with these claims one after the other; `said` is what was asked of them. */
function gatesWith(claims: ClaimedDelivery[][], more: Partial<Gates> = {}): { gates: Gates; said: string[] } {
  const said: string[] = [];
  return {
    said,
    gates: {
      groupSize: 4,
      claim() {
        said.push('claim');
        const claimed = claims.shift() ?? [];
        return Promise.resolve({ claimed, picked: claimed.length });
      },
      pass(group) {
        said.push(`pass ${group.length}`);
        return Promise.resolve(group.map(({ contactId }) => contactId));
      },
      room: () => Promise.resolve(),
      mayClaim: () => true,
      goesOn: () => true,
      ...more,
    },
  };
}

/** Takes from the queue in some lanes, each as long as there is anybody. */
async function drain(queue: RecipientQueue, lanes: number): Promise<ClaimedDelivery[]> {
  const taken: ClaimedDelivery[] = [];
  const lane = async (): Promise<void> => {
    for (let one = await queue.next(); one; one = await queue.next()) {
      taken.push(one);
      await new Promise((resolve) => setImmediate(resolve));
    }
  };
  await Promise.all(Array.from({ length: lanes }, lane));
  return taken;
}

test.each([1, 2, 8])(
  'everybody comes once, in order, to %d lanes, until the first gate finds nobody',
  async (lanes) => {
    const queue = queueRecipients(gatesWith([claimOf(1, 500), claimOf(501, 1000), claimOf(1001, 1003)]).gates);
    const taken = await drain(queue, lanes);
    expect(taken.map(({ contactId }) => contactId)).toEqual(claimOf(1, 1003).map(({ contactId }) => contactId));
    expect([queue.picked(), queue.isDry()]).toEqual([1003, true]);
  },
);

test('no group is larger than what passes together, and the next are claimed before the last have gone', async () => {
  const { gates, said } = gatesWith([claimOf(1, 150), claimOf(151, 160)]);
  const queue = queueRecipients(gates);
  for (let n = 0; n < 60; n++) await queue.next();
  expect(Math.max(...said.flatMap((one) => (one === 'claim' ? [] : [Number(one.slice(5))])))).toBe(4);
  // With fewer than a hundred left it claimed ten more, and then found nobody, while a hundred are still to go.
  expect(said.filter((one) => one === 'claim')).toHaveLength(3);
  expect(queue.isDry()).toBe(true);
});

test('whoever the second gate turns back is not given out, and a group of which nobody passes is no end', async () => {
  const { gates } = gatesWith([claimOf(1, 40)], {
    pass: (group) => Promise.resolve(group.map(({ contactId }) => contactId).filter((id) => id > 30)),
  });
  expect((await drain(queueRecipients(gates), 3)).map(({ contactId }) => contactId)).toEqual(
    claimOf(31, 40).map(({ contactId }) => contactId),
  );
});

test('who is called back and claimed again while they stand in the queue comes once, by the later claim', async () => {
  const { gates } = gatesWith([claimOf(1, 50), claimOf(20, 30, 'second')]);
  const taken = await drain(queueRecipients(gates), 2);
  expect(taken.filter(({ contactId }) => contactId === 25)).toEqual([recipient(25, 'second')]);
  expect(taken).toHaveLength(50);
});

test('after the turn nobody is claimed, and those who are claimed still go', async () => {
  let mayClaim = true;
  const { gates, said } = gatesWith([claimOf(1, 30), claimOf(31, 60)], { mayClaim: () => mayClaim });
  const queue = queueRecipients({
    ...gates,
    claim() {
      mayClaim = false;
      return gates.claim();
    },
  });
  expect(await drain(queue, 2)).toHaveLength(30);
  expect(said.filter((one) => one === 'claim')).toHaveLength(1);
  expect(queue.isDry()).toBe(false);
});

test('once it does not go on nobody passes any more, and those who have passed are given out', async () => {
  let goesOn = true;
  const { gates, said } = gatesWith([claimOf(1, 40)], { goesOn: () => goesOn });
  const queue = queueRecipients(gates);
  await queue.next();
  const groups = said.filter((one) => one !== 'claim').length;
  goesOn = false;
  // The group that was on its way when it ended is past the gate.
  expect((await drain(queue, 2)).length).toBeLessThanOrEqual(2 * 4 - 1);
  expect(said.filter((one) => one !== 'claim').length - groups).toBeLessThanOrEqual(1);
});

test('a group passes only where there is room for its answers', async () => {
  let makeRoom: () => void = () => undefined;
  const { gates, said } = gatesWith([claimOf(1, 3)], {
    room: () => new Promise((resolve) => (makeRoom = resolve)),
  });
  const taken = drain(queueRecipients(gates), 1);
  await new Promise((resolve) => setTimeout(resolve, 20));
  expect(said).not.toContain('pass 3');
  makeRoom();
  expect(await taken).toHaveLength(3);
});

test.each(['claim', 'pass', 'room'] as const)(
  'what fails at %s is told to every lane, and none waits on',
  async (at) => {
    const { gates } = gatesWith([claimOf(1, 3)], { [at]: () => Promise.reject(new Error('the database is gone')) });
    const queue = queueRecipients(gates);
    const lanes = await Promise.allSettled([queue.next(), queue.next(), queue.next()]);
    expect(lanes.map(({ status }) => status)).toEqual(['rejected', 'rejected', 'rejected']);
    await expect(queue.next()).rejects.toThrow('the database is gone');
  },
);
