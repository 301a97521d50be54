import type { Campaign } from '../../shared/contract/campaigns.ts';
import type { Import } from '../../shared/contract/imports.ts';
import type { Brand, List } from '../../shared/contract/organisation.ts';
import type { Run } from '../../shared/contract/runs.ts';
import type { SuppressionList } from '../../shared/contract/suppression.ts';
import type { BouncePreview, SunsetPreview, SunsetRule, Versioned } from '../../shared/contract/rules.ts';
import type { TakenEvents } from '../../shared/contract/events.ts';
import type { Api } from '../speak-http.ts';
import { sendLatest, type Providers } from './latest-campaign.ts';
import { makeCalendar, makeHistory, type PastCampaign, type PastEvent } from './history.ts';
import { HISTORY_DAYS, makePeople, type ListKey, type Person } from './people.ts';

const DAY = 86_400_000;
/** Events of one request. */
const BATCH = 5000;
/** Requests at once. */
const AT_ONCE = 2;

interface World {
  api: Api;
  start: number;
  lists: Record<ListKey, List>;
}

/**
 * Makes Larkfield Observatory through Avendel's own public interfaces: brands and lists, contacts from CSV files, the
 * campaigns of fourteen months with their events, entries kept by people, and the rules applied; and, where the
 * providers of the outside world can be told so, a campaign that leaves on a bad day of one. `say` reports progress.
 */
export async function loadWorld(
  api: Api,
  now: Date,
  say: (text: string) => void,
  { peopleCount, providers }: { peopleCount?: number; providers?: Providers } = {},
): Promise<void> {
  const people = makePeople(peopleCount);
  const midnight = Math.floor(now.getTime() / DAY) * DAY;
  const world: World = { api, start: midnight - HISTORY_DAYS * DAY, lists: await makeLists(api) };
  say(`Larkfield Observatory: ${people.length.toLocaleString('en-GB')} invented people …`);
  await importPeople(world, people);
  const calendar = makeCalendar();
  const campaigns = await recordCampaigns(world, calendar);
  say(`${calendar.length} campaigns of fourteen months …`);
  const recorded = await sendHistory(world, makeHistory(people, calendar), campaigns);
  say(`${recorded.toLocaleString('en-GB')} events recorded …`);
  await keepEntries(world, people);
  await applyRules(api);
  await draftCampaigns(world, await keepSegments(world));
  await signPeopleUp(world, people);
  if (!providers) return;
  say('the latest campaign leaves, on a bad day of one provider …');
  const { digest } = world.lists;
  await sendLatest(api, { brandId: digest.brandId, listId: digest.id }, providers);
}

/** So many sign up for the members' letter at the end; the world's machines and people do the rest. */
const SIGN_UPS = 24;

/** Some new people, some known, one who complained and one who must not be written to: each gets the same answer. */
async function signPeopleUp(world: World, people: Person[]): Promise<void> {
  const { members, digest } = world.lists;
  await world.api.patch(`/lists/${members.id}`, { agreement: AGREEMENT });
  // They write weekly, and now and then skip a week.
  await world.api.patch('/storm-rule', { days: 14 });
  await world.api.post('/cost/ladder', { currency: 'EUR', steps: PRICES });
  const wanting = people.filter((person) => person.lists.includes('digest') && !person.lists.includes('members'));
  const known = wanting.filter((_, index) => index % 9 === 0).slice(0, SIGN_UPS / 2);
  const fresh = [
    'confirms.early',
    'silent.reader',
    'scans.only',
    'new.neighbour',
    'dome.visitor',
    'late.bloomer',
    'star.counter',
    'cloud.watcher',
    'first.light',
    'night.walker',
    'tide.keeper',
    'moss.gardener',
  ].map((local, index) => ({
    address: `${local}@${['lanternpost', 'quillmail', 'tollgate-freight'][index % 3]!}.example`,
    name: local.replace(/(^|\.)(\w)/g, (_, dot: string, letter: string) => `${dot ? ' ' : ''}${letter.toUpperCase()}`),
  }));
  const complained = people.find((person) => person.complains);
  for (const one of [...known, ...fresh, ...(complained ? [complained] : [])])
    await world.api.post('/sign-ups', { listId: members.id, address: one.address, name: one.name, agreed: AGREEMENT });
  await world.api.post('/sign-ups', {
    listId: digest.id,
    address: 'dome-bookings@campusnet.example',
    name: 'Dome Bookings',
  });
}

/** What the observatory pays a month, by number of contacts. */
const PRICES = [
  { from: 0, month: 0 },
  { from: 800, month: 24 },
  { from: 2200, month: 41 },
  { from: 4600, month: 68 },
];
const AGREEMENT = 'Larkfield Observatory may write to me once a month with news for members.';

async function makeLists(api: Api): Promise<World['lists']> {
  const observatory = await api.post<Brand>('/brands', {
    name: 'Larkfield Observatory',
    fromAddress: 'digest@larkfield.example',
    returnDomain: 'returns.larkfield.example',
    zone: 'Europe/London',
  });
  const shop = await api.post<Brand>('/brands', {
    name: 'Larkfield Shop',
    fromAddress: 'shop@larkfield.example',
    returnDomain: 'returns.shop.larkfield.example',
    zone: 'Europe/London',
  });
  const list = (brand: Brand, name: string, optIn: 'single' | 'double' = 'single'): Promise<List> =>
    api.post<List>('/lists', { brandId: brand.id, name, optIn });
  return {
    digest: await list(observatory, 'Night Digest'),
    members: await list(observatory, 'Members’ Letter', 'double'),
    evenings: await list(observatory, 'Open Evenings'),
    shop: await list(shop, 'Shop Notes'),
  };
}

async function importPeople(world: World, people: Person[]): Promise<void> {
  for (const key of ['digest', 'members', 'evenings', 'shop'] as const) {
    const rows = people
      .filter((person) => person.lists.includes(key))
      .map(
        (person) =>
          `${person.address},${person.name},${new Date(world.start + person.joinedDay * DAY + 18 * 3_600_000).toISOString()}`,
      );
    const begun = await world.api.upload<Import>(
      `/imports?listId=${world.lists[key].id}&fileName=${key}.csv`,
      ['address,name,joined_at', ...rows].join('\n'),
      'text/csv',
    );
    await importEnd(world.api, begun.id);
  }
}

/** Waits for an import's end. @throws when it did not finish */
async function importEnd(api: Api, id: number): Promise<Import> {
  for (;;) {
    const row = await api.get<Import>(`/imports/${id}`);
    if (row.state === 'finished') return row;
    if (row.state === 'failed' || row.state === 'cancelled')
      throw new Error(`import ${id} ${row.state}: ${row.problem?.detail}`);
    await new Promise((resolve) => setTimeout(resolve, 50));
  }
}

async function recordCampaigns(world: World, calendar: PastCampaign[]): Promise<Map<string, number>> {
  const numbers = new Map<string, number>();
  for (const past of calendar) {
    const list = world.lists[past.list];
    const campaign = await world.api.post<Campaign>('/campaigns/elsewhere', {
      brandId: list.brandId,
      name: past.name,
      subject: past.subject,
      listIds: [list.id],
      startedAt: new Date(world.start + past.day * DAY + past.sentAt).toISOString(),
    });
    numbers.set(past.key, campaign.id);
  }
  return numbers;
}

/** Sends what happened in the past; how many events were recorded. */
async function sendHistory(
  world: World,
  history: Iterable<PastEvent[]>,
  campaigns: Map<string, number>,
): Promise<number> {
  let lines: string[] = [];
  let recorded = 0;
  const under = new Set<Promise<void>>();
  const send = async (batch: string[]): Promise<void> => {
    const taken = await world.api.upload<TakenEvents>('/events', batch.join('\n'), 'application/x-ndjson');
    if (taken.refused.length > 0) throw new Error(`the world was refused: ${taken.refused[0]!.detail}`);
    recorded += taken.recorded;
  };
  const flush = async (): Promise<void> => {
    if (under.size >= AT_ONCE) await Promise.race(under);
    const sending: Promise<void> = send(lines).finally(() => under.delete(sending));
    under.add(sending);
    lines = [];
  };
  for (const events of history) {
    for (const event of events) {
      lines.push(JSON.stringify(lineOf(world, event, campaigns)));
      if (lines.length >= BATCH) await flush();
    }
  }
  if (lines.length > 0) await flush();
  await Promise.all(under);
  return recorded;
}

function lineOf(
  world: World,
  { kind, person, campaign, list, at, detail }: PastEvent,
  campaigns: Map<string, number>,
): Record<string, unknown> {
  const { id, brandId } = world.lists[list];
  return {
    kind,
    at: new Date(world.start + at).toISOString(),
    source: 'larkfield-history',
    externalId: `${kind}:${campaign?.key ?? list}:${person.index}${'link' in detail ? `:${String(detail['link'])}` : ''}${detail['userAgent'] === 'GauzePost-ImageProxy/2.1' ? ':proxy' : ''}`,
    address: person.address,
    ...(campaign ? { campaignId: campaigns.get(campaign.key) } : { brandId }),
    ...(kind === 'unsubscribed' || kind === 'confirmed' ? { lists: [id] } : {}),
    ...detail,
  };
}

async function keepEntries({ api, lists }: World, people: Person[]): Promise<void> {
  const doNotWrite = await api.post<SuppressionList>('/suppression-lists', {
    name: 'Do not write',
    reach: 'everything',
  });
  await enter(
    api,
    doNotWrite.id,
    [people[17]!.address, people[230]!.address, 'dome-bookings@campusnet.example'],
    'asked by telephone, no mail of any kind',
  );
  await enter(api, doNotWrite.id, ['.alumni.campusnet.example'], 'their postmaster asked');
  await enter(
    api,
    doNotWrite.id,
    ['41b0fd9f6f0a2ab02d0c7f6a3c1f9c1df2b1c5cbb3a2c1f0e9d8c7b6a5f4c9e2'],
    'given to us as a hash, by post',
  );
  const schools = await api.post<SuppressionList>('/suppression-lists', {
    name: 'Partner schools',
    reach: 'marketing',
    scope: 'brand',
    scopeId: lists.shop.brandId,
  });
  await enter(
    api,
    schools.id,
    people.filter((person) => person.index % 173 === 5).map((person) => person.address),
    'partner school: no offers',
  );
}

function enter(api: Api, listId: number, values: string[], reason: string): Promise<unknown> {
  return api.post(`/suppression-lists/${listId}/entries`, { values, reason });
}

async function applyRules(api: Api): Promise<void> {
  const bounces = await api.post<BouncePreview>('/rules/bounce/preview', {});
  await api.post('/rules/bounce/apply', {
    expect: bounces.toUndeliverable + bounces.toDeliverable,
    reason: 'first working-out of the bounce rule',
  });
  for (const { id } of await api.get<Brand[]>('/brands')) {
    const { rule } = await api.get<Versioned<SunsetRule>>(`/rules/sunset/${id}`);
    const patient = { ...rule, steps: rule.steps.map((step) => ({ ...step, days: step.days + 7 })) };
    await applyLadder(api, id, patient, 'first working-out of the ladder');
    // What was put back to be looked at first is due, whenever the world is made.
    const stricter = await applyLadder(api, id, rule, 'a week less at each step');
    await runEnd(api, (await api.post<Run>(`/runs/${stricter.id}/undo`, { reason: 'let us look at them first' })).id);
  }
}

async function applyLadder(api: Api, brandId: number, given: SunsetRule, reason: string): Promise<Run> {
  const { steps, grace, engagingActs, covers } = given;
  const rule = { steps, grace, engagingActs, covers };
  const { moving } = await api.post<SunsetPreview>(`/rules/sunset/${brandId}/preview`, { rule });
  return runEnd(api, (await api.post<Run>(`/rules/sunset/${brandId}/apply`, { rule, expect: moving, reason })).id);
}

async function runEnd(api: Api, id: number): Promise<Run> {
  for (;;) {
    const run = await api.get<Run>(`/runs/${id}`);
    if (run.finishedAt !== null) return run;
    await new Promise((resolve) => setTimeout(resolve, 50));
  }
}

/** Questions that the observatory asks again and again. */
const SEGMENTS = [
  [
    'Readers of 30 days',
    'on list "Night Digest" and (read in the last 30 days or joined in the last 30 days)',
    'reading',
  ],
  ['Silent though written to', 'silent for 90 days with at least 8 messages', 'hygiene'],
  ['Read by machines', 'clicked by machines at least 3 times and never clicked', 'hygiene'],
  ['Came to an evening', 'purchased what containing "evening" in the last 12 months', 'evenings'],
  [
    'Digest readers who are not members',
    'on list "Night Digest" and (clicked in the last 90 days or purchased in the last 12 months or (opened in the last 60 days and sent at least 6 times in the last 60 days)) and not (on list "Members’ Letter" or sent in the last 3 days)',
    'reading',
  ],
] as const;

async function keepSegments({ api, lists }: World): Promise<number[]> {
  const ids: number[] = [];
  for (const [name, condition, tag] of SEGMENTS)
    ids.push(
      (await api.post<{ id: number }>('/segments', { brandId: lists.digest.brandId, name, condition, tags: [tag] })).id,
    );
  await api.post(`/segments/${ids[0]!}/snapshots`, { name: 'Readers, at the beginning' });
  return ids;
}

async function draftCampaigns({ api, lists }: World, segments: number[]): Promise<void> {
  const [readers, ...others] = segments;
  await api.post<Campaign>('/campaigns', {
    brandId: lists.digest.brandId,
    name: 'Winter programme',
    subject: 'What the dome shows this winter',
    html: DECEMBER_SKY,
    segmentIds: [readers],
    leftOutSegmentIds: others.slice(0, 3),
  });

  await api.post<Campaign>('/campaigns', {
    brandId: lists.digest.brandId,
    name: 'The December sky',
    subject: 'What to find in the December sky',
    html: DECEMBER_SKY,
    listIds: [lists.digest.id, lists.evenings.id],
    leftOutListIds: [lists.members.id],
  });
}

const DECEMBER_SKY = `<html><body style="font-family:Georgia,serif;color:#1E2A33">
<h1>What to find in the December sky</h1>
<p>Dear [[first_name else "stargazer"]], the nights are long now. Three things to look for without a telescope, and two for which it helps.</p>
<p><a href="https://larkfield.example/december">Read the December sky</a></p>
<p><a href="https://larkfield.example/evenings">Book an open evening</a></p>
<p><a href="https://larkfield.example/shop/planisphere">A planisphere for the pocket</a></p>
</body></html>`;
