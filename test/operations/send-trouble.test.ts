import { afterAll, expect, test } from '@jest/globals';
import pg from 'pg';
import { startCampaign } from '../../src/operations/campaigns/control-campaign.ts';
import { createCampaign } from '../../src/operations/campaigns/edit-campaign.ts';
import type { Handover } from '../../src/operations/relay/relay.ts';
import { findLedger } from '../../src/operations/campaigns/report-campaign.ts';
import { sendPass } from '../../src/operations/campaigns/send-campaign.ts';
import { makeDeps } from '../support/database.ts';
import { until } from '../support/service.ts';
import { makeSmallWorld } from '../support/world.ts';
import { shortDraft } from '../support/parts.ts';

const CONTACTS = 20;
const PROCESS = '00000000-0000-4000-8000-000000000001';
const TROUBLE: Handover = { outcome: 'again', reply: 'connect ECONNREFUSED', trouble: true };
const PUT_OFF: Handover = { outcome: 'again', reply: '451 4.3.0 not now', trouble: false };
const ACCEPTED: Handover = { outcome: 'accepted', reply: '250 ok' };
const deps = await makeDeps();
const world = await makeSmallWorld(deps, CONTACTS);
afterAll(() => deps.close());

/** Sends a campaign through a relay that answers a recipient's n-th try like this, until everything is decided. */
async function send(name: string, answer: (nth: number, pass: number) => Handover, hoursBetween = 0) {
  const campaign = await createCampaign(deps, shortDraft(world, name));
  await startCampaign(deps, campaign.id, { expected: CONTACTS, actor: 'Rosa Lindgard' });
  const tries = new Map<string, number>();
  let pass = 0;
  const relay = {
    connections: 4,
    handOver: ({ to }: { to: string }): Promise<Handover> => {
      const nth = (tries.get(to) ?? 0) + 1;
      const handover = answer(nth, pass);
      if (!(handover.outcome === 'again' && handover.trouble)) tries.set(to, nth);
      return Promise.resolve(handover);
    },
  };
  await until(async () => {
    pass++;
    await deps.database.query(`UPDATE delivery SET first_tried_at = first_tried_at - $1 * interval '1 hour'`, [
      hoursBetween,
    ]);
    await deps.database.query(`UPDATE campaign_pace SET tokens_at = tokens_at - interval '1 hour'`);
    return (
      (await sendPass(deps, relay, { retrySeconds: 0.001, stopping: () => false }, () => PROCESS, campaign.id)) ===
      'ended'
    );
  });
  return findLedger(deps, campaign.id);
}

test('a relay that is away uses up nobody’s tries: who is put off once after it is tried again, and gets the message', async () => {
  const ledger = await send('Away', (nth, pass) => (pass <= 8 ? TROUBLE : nth === 1 ? PUT_OFF : ACCEPTED));
  expect(ledger).toMatchObject({ accepted: CONTACTS, refused: 0, uncertain: 0, waiting: 0 });
  expect(await deps.database.query(`SELECT FROM event WHERE kind = 'bounced'`)).toEqual([]);
});

test('the database ends every connection in the middle of a pass: nothing stays claimed for ever, and everybody gets it once', async () => {
  const campaign = await createCampaign(deps, shortDraft(world, 'Cut off'));
  await startCampaign(deps, campaign.id, { expected: CONTACTS, actor: 'Rosa Lindgard' });
  const options = deps.database.options as { url: string };
  const handed: string[] = [];
  const relay = {
    connections: 2,
    async handOver({ to }: { to: string }): Promise<Handover> {
      handed.push(to);
      if (handed.length === 6) {
        const other = new pg.Client({ connectionString: options.url });
        await other.connect();
        await other.query(
          'SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE datname = current_database() AND pid <> pg_backend_pid()',
        );
        await other.end();
      }
      return ACCEPTED;
    },
  };
  await until(async () => {
    const so = await sendPass(
      deps,
      relay,
      { retrySeconds: 0.001, stopping: () => false },
      () => PROCESS,
      campaign.id,
    ).catch(() => 'failed');
    return so === 'ended';
  });
  expect(await deps.database.query(`SELECT FROM delivery WHERE state = 'claimed'`)).toEqual([]);
  expect(await findLedger(deps, campaign.id)).toMatchObject({ waiting: 0, onTheirWay: 0, agrees: true });
  expect(new Set(handed).size).toBe(handed.length);
});

test('who is put off again and again is given up after a day, with a soft bounce for their own server', async () => {
  let most = 0;
  const ledger = await send('Never', (nth) => ((most = Math.max(most, nth)), PUT_OFF), 1);
  expect(ledger).toMatchObject({ accepted: 0, refused: CONTACTS });
  // Not by a number of tries: once an hour for 24 of them.
  expect(most).toBeGreaterThan(8);
  expect(
    await deps.database.query(`SELECT DISTINCT detail->>'class' AS class FROM event WHERE kind = 'bounced'`),
  ).toEqual([{ class: 'soft' }]);
});
