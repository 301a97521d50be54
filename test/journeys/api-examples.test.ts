import { afterAll, beforeAll, expect, test } from '@jest/globals';
import type { Client } from '../../src/client/client.ts';
import { CONTRACTS } from '../../src/shared/contract/index.ts';
import type { Brand, List } from '../../src/shared/contract/organisation.ts';
import type { Run } from '../../src/shared/contract/runs.ts';
import { openDatabase, type Database } from '../../src/store/database.ts';
import { makeCampaign, makeList, startRealService, until, type Running } from '../support/service.ts';

/** Every example of docs/api.md is called. The numbers in it are replaced by those of things made for it. */
let service: Running;
let client: Client;
let database: Database;
let list: List;
let brand: Brand;
const PEOPLE = ['ada', 'bo', 'cass', 'dora'].map((name) => `${name}@lanternpost.example`);

type Name = keyof Client;
type Example = Record<string, unknown>;

beforeAll(async () => {
  service = await startRealService();
  client = service.client;
  database = await openDatabase(service.databaseUrl);
  list = await makeList(client, [...PEOPLE, 'ellis@lanternpots.example']);
  [brand] = (await client.brands()) as [Brand];
  // More than one piece of a run takes at once, so that there is something to stop.
  await database.query(
    `INSERT INTO contact (address, name) SELECT 'reader' || n || '@quillmail.example', 'Reader' FROM generate_series(1, 25000) n`,
  );
});
afterAll(async () => {
  await database.destroy();
  await service.stop();
});

let made = 0;
const draft = (): Promise<number> => makeCampaign(client, list, `Letter ${++made}`);
const ofDraft = async (): Promise<Example> => ({ id: await draft() });
/** A campaign under way: no relay listens, so that it goes on. */
async function ofSending(): Promise<Example & { id: number }> {
  const id = await draft();
  await client.startCampaign({ id, expect: (await client.preflight({ id })).willGet });
  return { id };
}
async function ofStopped(): Promise<Example> {
  const of = await ofSending();
  await client.stopDomain({ ...CONTRACTS.stopDomain.example, ...of });
  return of;
}
const ofAda = async (): Promise<Example> => ({ id: (await client.check({ address: PEOPLE[0]! })).contact!.id });
async function imported(file: string, isDry: boolean): Promise<number> {
  const { id } = await client.importFile({ listId: list.id, fileName: `${++made}.csv`, dryRun: isDry, file });
  await until(async () => (await client.import({ id })).state === 'finished');
  return id;
}
const ofDryRun = async (): Promise<Example> => ({
  id: await imported('address,name\nada@lanternpost.example,Ada Vey\n', true),
});
async function ofHeld(): Promise<Example> {
  await client.saveSeverities({ 'role-name': 'hold' });
  const file = `address\ninfo${++made}@lanternpost.example\nsales@lanternpost.example\n`;
  return { id: await imported(file, false), codes: ['role-name'] };
}
const tagging = (tag: string, brandId = brand.id): Parameters<Client['previewAct']>[0] => ({
  act: 'tag',
  tag,
  filter: { brandId },
});
async function tagAll(): Promise<Run> {
  const selection = tagging(`tag ${++made}`);
  const { willChange } = await client.previewAct(selection);
  return client.applyAct({ ...selection, expect: willChange, reason: 'a test' });
}
async function ofRun(): Promise<Example> {
  const { id } = await tagAll();
  await until(async () => (await client.run({ id })).finishedAt !== null);
  return { id };
}
async function ofReconciliation(): Promise<Example & { id: number }> {
  const { file } = CONTRACTS.reconcile.example;
  return { id: (await client.reconcile({ name: `${++made}.csv`, file })).id };
}
async function ofReturn(state: 'unmatched' | 'asks'): Promise<Example> {
  const file = CONTRACTS.receiveReturn.example.file.replace(
    'Subject:',
    `Message-ID: <${++made}@quillmail.example>\r\nSubject:`,
  );
  const { id } = await client.receiveReturn({ file });
  const campaignId = await recorded();
  if (state === 'asks')
    await database.query(
      `UPDATE return_message SET state = 'asks', campaign_id = $2, contact_id = (SELECT id FROM contact WHERE address = $3) WHERE id = $1`,
      [id, campaignId, PEOPLE[0]],
    );
  return { id, ...(state === 'unmatched' ? { campaignId } : {}) };
}
/** A campaign that another system sent to Ada. */
async function recorded(): Promise<number> {
  const past = { ...CONTRACTS.recordCampaign.example, brandId: brand.id, name: `Past ${++made}` };
  const { id } = await client.recordCampaign(past);
  const sent = { kind: 'sent', at: past.startedAt, source: 'elsewhere', externalId: `${made}`, address: PEOPLE[0] };
  await client.recordEvents({ file: JSON.stringify({ ...sent, brandId: brand.id, campaignId: id }) });
  return id;
}
async function ofStorm(): Promise<Example> {
  const [{ id }] = await database.query<[{ id: number }]>(
    `INSERT INTO storm (domain, begins, ends, messages) VALUES ($1, now() - interval '1 hour', now(), 90) RETURNING id`,
    [`host${++made}.example`],
  );
  return { id };
}
async function ofMailbox(): Promise<Example> {
  const settings = { ...CONTRACTS.keepMailbox.example, host: '127.0.0.1', port: 1, security: 'none' as const };
  return { id: (await client.keepMailbox({ ...settings, name: `box ${++made}` })).id };
}
async function segment(): Promise<number> {
  return (await client.createSegment({ brandId: brand.id, name: `Segment ${++made}`, condition: 'everyone' })).id;
}
const ofSegment = async (): Promise<Example> => ({ id: await segment() });
const ofSnapshot = async (): Promise<Example> => ({
  id: (await client.freezeSegment({ id: await segment(), name: `Then ${++made}` })).id,
});
const ownList = async (): Promise<number> => (await client.createSuppressionList({ name: `Own ${++made}` })).id;
const ofOwnList = async (): Promise<Example> => ({ id: await ownList() });
async function ofVerification(): Promise<Example & { id: number }> {
  const { id } = await client.verify({ ...CONTRACTS.verify.example, name: `${++made}.csv` });
  return { id };
}
const exclusion = async (): Promise<number> =>
  (await client.createExclusion({ ...CONTRACTS.createExclusion.example, brandId: brand.id, name: `Out ${++made}` })).id;
const largeFile = `address\n${Array.from({ length: 60_000 }, (_, n) => `guest${n}@quillmail.example`).join('\n')}\n`;

/** What of an example is of the thing that it is about, by the name of its call. */
/** A key of the brand: one that is there, or a new one. */
async function ofDkimKey(): Promise<Example> {
  const { id } = CONTRACTS.dkimKeys.example;
  const [kept] = await client.dkimKeys({ id });
  return { id, keyId: (kept ?? (await client.addDkimKey({ id, selector: `key${++made}` }))).id };
}

/** A relay that no brand sends through. */
async function ofRelay(): Promise<number> {
  return (await client.addRelay({ ...CONTRACTS.addRelay.example, name: `Relay ${++made}` })).id;
}

const OWN: Partial<Record<Name, () => Promise<Example>>> = {
  endSession: async () => {
    await client.signIn(CONTRACTS.signIn.example);
    return { id: (await client.sessions())[0]!.id };
  },
  revokeToken: async () => {
    await client.createToken({ ...CONTRACTS.createToken.example, name: 'to be revoked' });
    return { id: (await client.tokens()).items.find(({ name }) => name === 'to be revoked')!.id };
  },
  changeRelay: async () => ({ id: await ofRelay() }),
  removeRelay: async () => ({ id: await ofRelay() }),
  compareCampaigns: async () => ({ ids: `${(await ofSending()).id},${(await ofSending()).id}` }),
  sendThrough: async () => ({ relayIds: [await ofRelay()] }),
  rejudgeActs: async () => ({ expect: (await client.previewRejudging()).acts }),
  applyAutomated: async () => {
    const { toMark, toClear } = await client.previewAutomated();
    return { expect: toMark + toClear };
  },
  applyAct: async () => ({ expect: (await client.previewAct(CONTRACTS.previewAct.example)).willChange }),
  mend: async () => {
    const { mended, merged } = await client.previewMending(CONTRACTS.previewMending.example);
    return { expect: mended + merged };
  },
  refuse: () => Promise.resolve({ expect: 25_000 }),
  campaign: ofDraft,
  changeCampaign: ofDraft,
  removeDraft: ofDraft,
  preflight: ofDraft,
  preflightContacts: ofDraft,
  preview: ofDraft,
  startCampaign: async () => {
    const id = await draft();
    return { id, expect: (await client.preflight({ id })).willGet };
  },
  signWithDkimKey: ofDkimKey,
  removeDkimKey: ofDkimKey,
  endCap: async () => ({ id: (await client.createCap({ messages: 30, days: ++made })).id }),
  endExclusion: async () => ({ id: await exclusion() }),
  setAside: ofDraft,
  setExclusionAside: async () => ({ id: await draft(), exclusionId: await exclusion() }),
  takeExclusionUp: async () => {
    const of = { id: await draft(), exclusionId: await exclusion() };
    await client.setExclusionAside({ ...CONTRACTS.setExclusionAside.example, ...of });
    return of;
  },
  scheduleCampaign: async () => {
    const id = await draft();
    return { id, expect: (await client.preflight({ id })).willGet };
  },
  callOffCampaign: async () => {
    const id = await draft();
    await client.scheduleCampaign({ ...CONTRACTS.scheduleCampaign.example, id });
    return { id };
  },
  waves: ofSending,
  beginWave: async () => {
    const id = await draft();
    const first = { of: { share: 0.5 }, afterHours: null, at: null, test: null };
    await client.changeCampaign({ id, waves: [first, { ...first, of: { rest: true }, afterHours: 24 }] });
    await client.startCampaign({ id, expect: (await client.preflight({ id })).willGet });
    return { id };
  },
  pauseCampaign: ofSending,
  campaignProgress: ofSending,
  setCampaignPace: ofSending,
  stopDomain: ofSending,
  goOnWithDomain: ofStopped,
  callOffDomain: ofStopped,
  resumeCampaign: async () => {
    const { id } = await ofSending();
    await client.pauseCampaign({ id });
    return { id };
  },
  cancelCampaign: ofSending,
  campaignChanges: ofSending,
  report: ofSending,
  recipients: ofSending,
  exportRecipients: ofSending,
  contact: ofAda,
  timeLine: ofAda,
  contactJournal: ofAda,
  contactSignUps: ofAda,
  cancelImport: async () => ({
    id: (await client.importFile({ listId: list.id, fileName: 'large.csv', file: largeFile })).id,
  }),
  heldRows: async () => ({ id: (await ofHeld())['id'] }),
  releaseHeldRows: ofHeld,
  leaveHeldRowsOut: ofHeld,
  importDryRun: ofDryRun,
  renames: ofDryRun,
  reconciliation: ofReconciliation,
  forgetReconciliation: ofReconciliation,
  reconciled: ofReconciliation,
  exportReconciled: ofReconciliation,
  takeStrangersIn: ofReconciliation,
  suppressStrangers: async () => ({ ...(await ofReconciliation()), suppressionListId: await ownList() }),
  return: () => ofReturn('unmatched'),
  dismissReturn: () => ofReturn('unmatched'),
  matchReturn: () => ofReturn('unmatched'),
  grantStop: () => ofReturn('asks'),
  keepMailbox: () => Promise.resolve({ host: '127.0.0.1', port: 1, security: 'none' }),
  pauseMailbox: ofMailbox,
  lookIntoMailbox: ofMailbox,
  removeMailbox: ofMailbox,
  storm: ofStorm,
  releaseStorm: async () => ({ ...(await ofStorm()), expect: 0 }),
  dismissStorm: ofStorm,
  applySunset: async () => ({ expect: (await client.previewSunset({ brandId: brand.id })).moving }),
  applyBounce: async () => {
    const { toUndeliverable, toDeliverable } = await client.previewBounce();
    return { expect: toUndeliverable + toDeliverable };
  },
  undoRun: ofRun,
  runJournal: ofRun,
  stopRun: async () => ({ id: (await tagAll()).id }),
  segment: ofSegment,
  changeSegment: ofSegment,
  removeSegment: ofSegment,
  freezeSegment: ofSegment,
  snapshotChange: ofSnapshot,
  snapshotChangeContacts: ofSnapshot,
  removeSnapshot: ofSnapshot,
  entries: ofOwnList,
  exportEntries: ofOwnList,
  addEntries: ofOwnList,
  lift: async () => {
    const id = await ownList();
    await client.addEntries({ ...CONTRACTS.addEntries.example, id });
    return { entryIds: (await client.entries({ id })).items.map((entry) => entry.id) };
  },
  verification: ofVerification,
  mapWords: ofVerification,
  forgetVerification: ofVerification,
  applyVerification: async () => {
    const { id } = await ofVerification();
    await client.mapWords({ ...CONTRACTS.mapWords.example, id });
    return { id, expect: (await client.verification({ id })).willChange };
  },
};

/** The last ones change what the others stand on. */
const LAST: Name[] = ['unsubscribeContact', 'changePassword'];
const names = Object.keys(CONTRACTS) as Name[];
const inOrder = [...names.filter((name) => !LAST.includes(name)), ...LAST];

test.each(inOrder)('%s', async (name) => {
  const given: Example = { ...CONTRACTS[name].example, ...(await OWN[name]?.()) };
  const call = client[name] as (given: Example) => Promise<unknown>;
  // The service holds each answer against its contract, and fails where they differ.
  const answer = await call(given);
  if (answer instanceof Response) expect((await answer.text()).length).toBeGreaterThan(0);
  else expect(answer === undefined).toBe('status' in CONTRACTS[name] && CONTRACTS[name].status === 204);
});
