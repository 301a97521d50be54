import { randomUUID } from 'node:crypto';
import { cancelCampaign, startCampaign } from '../src/operations/campaigns/control-campaign.ts';
import { createCampaign, getCampaign } from '../src/operations/campaigns/edit-campaign.ts';
import { judgedMessage } from '../src/operations/campaigns/judged-message.ts';
import { findLeavesOut, namesOf } from '../src/operations/campaigns/leaving-out.ts';
import { preflightCampaign } from '../src/operations/campaigns/preflight-campaign.ts';
import type { Deps } from '../src/operations/deps.ts';
import { createCap, lookAtCaps } from '../src/operations/campaigns/caps.ts';
import { createExclusion } from '../src/operations/campaigns/exclusions.ts';
import { inTransaction, overWholeSet } from '../src/store/database.ts';
import { claimDeliveries, passGate, type ClaimedDelivery } from '../src/store/statements/deliveries.ts';
import { overConditionsWorld, readerOf } from './conditions-world.ts';
import { measureMessageCheck } from './message-check.ts';
import { median, tell } from './measuring.ts';
import { seconds, startHelper, startService, type BenchService, type Measured } from './support.ts';

/** What the conditions' world has: a brand with three lists. */
const BRAND = 1;
const CONTACTS = 1_000_000;
const RECIPIENTS = 8000;
/** As eight connections to the relay have it. */
const GROUP = 16;
const CLAIM = 500;
const ROUNDS = 3;
/** Messages in days. */
const CAPS = [
  [2, 7],
  [6, 90],
] as const;
const ACTOR = 'bench';
const DRAFT = {
  purpose: 'marketing' as const,
  text: '',
  leftOutListIds: [],
  segmentIds: [],
  leftOutSegmentIds: [],
  brandId: BRAND,
  subject: 'The sky',
  html: '<p>The nights are long now.</p>',
};

/** The value below which that share of all lies. */
const percentile = (all: number[], share: number): number =>
  [...all].sort((a, b) => a - b)[Math.ceil(share * all.length) - 1]!;

/**
 * A base with a million contacts, three million deliveries and twenty million events: a preflight of everybody under
 * two caps and a standing exclusion, the second gate, and pages while events come in.
 */
export async function measureAtSize(server: string, relayPort: number, port: number): Promise<Measured[]> {
  const { url, measured } = await overConditionsWorld(server, new Date(), async (deps, at) => {
    await leaveOut(deps);
    return {
      url: at,
      measured: [
        await measureMessageCheck(deps, BRAND, [1]),
        await measureMessageCheck(deps, BRAND, [1, 2, 3]),
        await measurePreflight(deps),
        await measureGate(deps),
      ],
    };
  });
  return [...measured, ...(await measurePagesUnderLoad(url, relayPort, port))];
}

async function leaveOut(deps: Deps): Promise<void> {
  const lately = { name: 'Bounced lately', condition: 'bounced in the last 45 days', reason: 'bench' };
  // The base is kept from run to run.
  if ((await lookAtCaps(deps, { brandId: BRAND, ended: false })).length === 0) {
    for (const [messages, days] of CAPS) await createCap(deps, { brandId: BRAND, messages, days, actor: ACTOR });
    await createExclusion(deps, { ...lately, brandId: BRAND, actor: ACTOR });
  }
}

/** What somebody who knows the tables would write to count who gets it. */
const BY_HAND = `SELECT count(*)::int AS n FROM contact c WHERE c.erased_at IS NULL AND c.deliverability <> 'undeliverable'
  AND EXISTS (SELECT FROM subscription s WHERE s.contact_id = c.id AND s.list_id = ANY ('{1,2,3}') AND s.state = 'subscribed')
  AND NOT EXISTS (SELECT FROM suppression_entry e WHERE e.value = c.address AND e.lifted_at IS NULL)
  AND NOT EXISTS (SELECT FROM activity a WHERE a.contact_id = c.id AND a.brand_id = ${BRAND} AND a.last_bounced_at >= (now() AT TIME ZONE 'Europe/London')::date - 45)
  AND NOT EXISTS (SELECT FROM (
    SELECT contact_id FROM delivery d JOIN campaign k ON k.id = d.campaign_id
    WHERE k.brand_id = ${BRAND} AND k.purpose = 'marketing' AND d.state IN ('accepted', 'uncertain') AND d.bounced IS NULL AND coalesce(d.accepted_at, d.handed_at) > now() - interval '90 days'
    GROUP BY 1 HAVING count(*) >= 6 OR count(*) FILTER (WHERE coalesce(d.accepted_at, d.handed_at) > now() - interval '7 days') >= 2) f WHERE f.contact_id = c.id)`;

async function measurePreflight(deps: Deps): Promise<Measured> {
  const { id } = await createCampaign(deps, { ...DRAFT, name: `To everybody ${Date.now()}`, listIds: [1, 2, 3] });
  const times = { ours: [] as number[], bare: [] as number[] };
  const found: number[] = [];
  for (let round = 0; round < ROUNDS; round++) {
    times.bare.push(
      await seconds(() =>
        overWholeSet(deps.database, async (sql) => found.push((await sql.query<{ n: number }[]>(BY_HAND))[0]!.n)),
      ),
    );
    times.ours.push(await seconds(async () => found.push((await preflightCampaign(deps, id)).willGet)));
  }
  if (new Set(found).size !== 1)
    throw new Error(`by hand and by preflight: ${[...new Set(found)].join(' and ')} get it`);
  return {
    name: 'preflight of 1,000,000 contacts under two caps and an exclusion',
    unit: 'contacts/s',
    ours: CONTACTS / median(times.ours),
    bare: CONTACTS / median(times.bare),
    wanted: 0.5,
    peakMb: process.memoryUsage().rss / 1e6,
  };
}

/** A list of its own, of people whom no run of the bench has written to before. */
async function listOfOthers(deps: Deps): Promise<number> {
  const [list] = await deps.database.query<{ id: number }[]>(
    `WITH made AS (INSERT INTO list (brand_id, name) VALUES (${BRAND}, 'Gate ' || gen_random_uuid()) RETURNING id),
     chosen AS (
       SELECT id FROM contact c WHERE id % 4 = 1 AND deliverability = 'deliverable' AND NOT EXISTS (SELECT FROM subscription s WHERE s.contact_id = c.id AND s.list_id > 3)
       ORDER BY id DESC LIMIT ${RECIPIENTS}),
     on_it AS (INSERT INTO subscription (contact_id, list_id, state, since, source) SELECT c.id, m.id, 'subscribed', now(), 'bench' FROM chosen c, made m)
     SELECT id FROM made`,
  );
  return list!.id;
}

/** The second gate alone, group after group; those before have been answered for. */
async function measureGate(deps: Deps): Promise<Measured> {
  const listIds = [await listOfOthers(deps)];
  const { id } = await createCampaign(deps, { ...DRAFT, name: `Through the gate ${Date.now()}`, listIds });
  await startCampaign(deps, id, { expected: (await preflightCampaign(deps, id)).willGet, actor: ACTOR });
  const campaign = await getCampaign(deps, id);
  const leavesOut = await findLeavesOut(deps, campaign);
  const message = judgedMessage(campaign, leavesOut);
  const times: number[] = [];
  let passed = 0;
  for (;;) {
    const claimed = await claim(deps, message, namesOf(leavesOut));
    if (claimed.length === 0) break;
    for (let from = 0; from < claimed.length; from += GROUP) {
      const group = claimed.slice(from, from + GROUP);
      times.push(await seconds(async () => (passed += (await passGate(deps.database, message, group, false)).length)));
    }
    await deps.database.query(
      `UPDATE delivery SET state = 'accepted', accepted_at = now() WHERE campaign_id = $1 AND state = 'claimed'`,
      [id],
    );
  }
  await cancelCampaign(deps, id, ACTOR);
  if (passed < RECIPIENTS / 2) throw new Error(`only ${passed} passed the second gate`);
  const [middle, slow] = [median([...times]), percentile(times, 0.95)];
  process.stderr.write(
    `Second gate: ${(middle * 1000).toFixed(1)} ms in the middle, ${(slow * 1000).toFixed(1)} ms at the 95th percentile of ${times.length} groups, ${passed} passed\n`,
  );
  return {
    name: `the second gate for ${GROUP} recipients, beside 20 ms`,
    unit: 'groups/s',
    ours: 1 / slow,
    bare: 50,
    wanted: 1,
    peakMb: process.memoryUsage().rss / 1e6,
  };
}

function claim(deps: Deps, message: ReturnType<typeof judgedMessage>, names: string[]): Promise<ClaimedDelivery[]> {
  const everywhere = [{ domain: '', room: CLAIM, limited: false }];
  return inTransaction(deps.database, async (sql) => {
    const { claimed } = await claimDeliveries(sql, message, randomUUID(), randomUUID(), CLAIM, names, everywhere);
    return claimed;
  });
}

/** Events of a source a second, told as `avendel events import` tells them: of people's acts on what was sent. */
const WHOLE_RATE = 60_000;
const BATCH = 2000;
const LOOKS = 100;
let told = 0;

/** What the tallies show, by HTTP, while events come in at half the rate at which they can at most. */
async function measurePagesUnderLoad(url: string, relayPort: number, port: number): Promise<Measured[]> {
  const sink = await startHelper('sink.js', String(relayPort));
  let service: BenchService | undefined;
  try {
    service = await startService(url, relayPort, port);
    return await lookUnderLoad(service);
  } finally {
    await service?.stop();
    sink.stop();
  }
}

async function lookUnderLoad(service: BenchService): Promise<Measured[]> {
  const { client } = service;
  const whole = await seconds(async () => {
    for (let done = 0; done < WHOLE_RATE; done += 2 * BATCH) await Promise.all([tellSome(service), tellSome(service)]);
  });
  const halfRate = WHOLE_RATE / whole / 2;
  const load = { goesOn: true, told: 0 };
  const telling = (async () => {
    const begun = performance.now();
    while (load.goesOn) {
      await tellSome(service);
      load.told += BATCH;
      const due = begun + (load.told / halfRate) * 1000;
      await new Promise((resolve) => setTimeout(resolve, Math.max(0, due - performance.now())));
    }
    return load.told / ((performance.now() - begun) / 1000);
  })();
  const pages: [string, number[], () => Promise<unknown>][] = [
    ['Today', [], () => client.today({ brandId: BRAND })],
    ['a report', [], () => client.report({ id: 1 })],
    ['the list of campaigns', [], () => client.campaigns({ limit: 50 })],
  ];
  for (let look = 0; look < LOOKS; look++) for (const [, times, page] of pages) times.push(await seconds(page));
  load.goesOn = false;
  const rate = await telling;
  process.stderr.write(
    `${rate.toFixed(0)} events a second came in meanwhile, of ${(2 * halfRate).toFixed(0)} at most\n`,
  );
  return pages.map(([name, times]) => {
    const slow = percentile(times, 0.95);
    process.stderr.write(
      `${median([...times]).toFixed(3)} s in the middle, ${slow.toFixed(3)} s at the 95th percentile, ${percentile(times, 1).toFixed(3)} s at most: ${name}\n`,
    );
    return {
      name: `${name} while events come in, beside 0.3 s`,
      unit: 'pages/s',
      ours: 1 / slow,
      bare: 1 / 0.3,
      wanted: 1,
      peakMb: service.peakMb(),
    };
  });
}

const KINDS = ['opened', 'opened', 'opened', 'clicked', 'visited'];

function tellSome(service: BenchService): Promise<void> {
  const start = Date.now() - 600_000;
  const events = Array.from({ length: BATCH }, () => {
    const index = (told += 1);
    const kind = KINDS[index % KINDS.length]!;
    const contactId = 1 + ((index * 7919) % CONTACTS);
    const act = { kind, at: new Date(start + (index % 600_000)).toISOString(), source: 'under load', brandId: BRAND };
    const of = kind === 'visited' ? {} : { campaignId: 1 + (index % 4) };
    return { ...act, ...of, externalId: `${start} ${index}`, address: readerOf(contactId) };
  });
  return tell(service, events);
}
