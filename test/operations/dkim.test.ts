import { generateKeyPairSync } from 'node:crypto';
import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { makeSecrets } from '../../src/core/access/seal.ts';
import type { DkimSigner } from '../../src/core/message/dkim.ts';
import { startCampaign } from '../../src/operations/campaigns/control-campaign.ts';
import { createCampaign, getCampaign } from '../../src/operations/campaigns/edit-campaign.ts';
import { sendPass } from '../../src/operations/campaigns/send-campaign.ts';
import {
  addDkimKey,
  findSigners,
  forgetDkimKey,
  lookAtDkimKeys,
  signWithKey,
} from '../../src/operations/relay/dkim.ts';
import { lookAtDns } from '../../src/operations/relay/dns-records.ts';
import { makeDeps } from '../support/database.ts';
import { makeShop, shortDraft } from '../support/parts.ts';
import { ACCEPTED, PROCESSES } from '../support/turns.ts';
import { makeSmallWorld, type SmallWorld } from '../support/world.ts';

const actor = 'Rosa Lindgard';
const [OLD_SECRET, NEW_SECRET] = [Buffer.alloc(32, 1), Buffer.alloc(32, 2)];
let deps: Awaited<ReturnType<typeof makeDeps>>;
let world: SmallWorld;
beforeAll(async () => {
  deps = await makeDeps();
  deps.now = () => new Date();
  deps.secrets = makeSecrets([OLD_SECRET]);
  world = await makeSmallWorld(deps, 3);
});
afterAll(() => deps.close());

const add = (selector: string, more: object = {}) => addDkimKey(deps, world.brandId, { selector, actor, ...more });
const signers = async () => (await findSigners(deps, world.brandId)).map(({ selector }) => selector);

test('a key is made, signs once it is told to, and stays sealed in the database', async () => {
  const key = await add('Nov2026');
  expect(key).toMatchObject({ selector: 'nov2026', domain: 'larkfield.example', signs: false, createdBy: actor });
  expect(await signers()).toEqual([]);
  expect(await signWithKey(deps, world.brandId, key.id, true)).toMatchObject([{ signs: true }]);
  const [signer] = await findSigners(deps, world.brandId);
  const der = signer!.privateKey.export({ type: 'pkcs8', format: 'der' });
  const [row] = await deps.database.query<{ sealed: Buffer }[]>('SELECT sealed FROM dkim_key');
  expect(row!.sealed.includes(der.subarray(40, 80))).toBe(false);
  expect(JSON.stringify(await lookAtDkimKeys(deps, world.brandId))).not.toContain('sealed');
});

test('what is no key, of another domain, or under a name that was used, is refused, and nothing is kept', async () => {
  await expect(add('a b')).rejects.toThrow('is no selector');
  await expect(add('dec2026', { privateKey: 'the dome is open' })).rejects.toThrow('no private key');
  await expect(add('dec2026', { domain: 'quillmail.example' })).rejects.toThrow(
    'does not speak for digest@larkfield.example',
  );
  await expect(add('nov2026')).rejects.toThrow('nov2026 at larkfield.example was used before');
  expect(await lookAtDkimKeys(deps, world.brandId)).toHaveLength(1);
  const { secrets, ...without } = deps;
  await expect(addDkimKey(without, world.brandId, { selector: 'x', actor })).rejects.toThrow('AVENDEL_SECRET_KEY');
  expect(secrets).toBeDefined();
});

test('two at once for changing over, and no third, also of five who add one at the same time', async () => {
  const { privateKey } = generateKeyPairSync('rsa', { modulusLength: 1024 });
  const pem = privateKey.export({ type: 'pkcs8', format: 'pem' }).toString();
  const tried = await Promise.allSettled(['a', 'b', 'c', 'd', 'e'].map((one) => add(one, { privateKey: pem })));
  expect(tried.filter(({ status }) => status === 'fulfilled')).toHaveLength(1);
  const [, second] = await lookAtDkimKeys(deps, world.brandId);
  await signWithKey(deps, world.brandId, second!.id, true);
  expect(await signers()).toEqual(['nov2026', second!.selector]);
  await forgetDkimKey(deps, world.brandId, second!.id, actor);
  expect(await signers()).toEqual(['nov2026']);
  await expect(add(second!.selector)).rejects.toThrow('was used before');
  await expect(signWithKey(deps, world.brandId, second!.id, true)).rejects.toThrow('key');
  const gone = await deps.database.query<object[]>(
    `SELECT 1 FROM dkim_key WHERE removed_at IS NOT NULL AND sealed IS NOT NULL`,
  );
  expect(gone).toEqual([]);
});

test('the key of one brand signs for no other, and is removed by none', async () => {
  const shop = await makeShop(deps);
  expect(await findSigners(deps, shop.id)).toEqual([]);
  const [key] = await lookAtDkimKeys(deps, world.brandId);
  await expect(forgetDkimKey(deps, shop.id, key!.id, actor)).rejects.toThrow();
  await expect(signWithKey(deps, shop.id, key!.id, false)).rejects.toThrow();
  expect(await signers()).toEqual(['nov2026']);
});

test('a new key of the settings reads what the old one sealed, and seals it anew; without either nothing leaves unsigned', async () => {
  deps.secrets = makeSecrets([NEW_SECRET, OLD_SECRET]);
  expect(await signers()).toEqual(['nov2026']);
  deps.secrets = makeSecrets([NEW_SECRET]);
  expect(await signers()).toEqual(['nov2026']);
  deps.secrets = makeSecrets([OLD_SECRET]);
  const { id } = await createCampaign(deps, shortDraft(world, 'Signed'));
  await startCampaign(deps, id, { expected: 3, actor });
  const handed: (readonly DkimSigner[] | undefined)[] = [];
  const relay = {
    connections: 2,
    handOver: (_: unknown, signWith?: readonly DkimSigner[]) => (handed.push(signWith), Promise.resolve(ACCEPTED)),
  };
  const pass = () => sendPass(deps, relay, { retrySeconds: 60, stopping: () => false }, () => PROCESSES[0], id);
  await pass();
  expect(handed).toEqual([]);
  expect(await getCampaign(deps, id)).toMatchObject({
    state: 'paused',
    pausedBecause: expect.stringContaining(
      'it cannot be signed: The key nov2026 of larkfield.example cannot be opened',
    ),
  });
  deps.secrets = makeSecrets([NEW_SECRET]);
  await deps.database.query(`UPDATE campaign SET state = 'sending' WHERE id = $1`, [id]);
  await pass();
  expect(handed.map((one) => one?.map(({ selector }) => selector))).toEqual(
    Array.from({ length: 3 }, () => ['nov2026']),
  );
});

test('what the DNS should hold is shown, and compared where somebody can be asked', async () => {
  const names = async () =>
    (await lookAtDns(deps, world.brandId)).map(({ name, type, agrees }) => [name, type, agrees]);
  const NAMES = [
    ['nov2026._domainkey.larkfield.example', 'TXT'],
    ['returns.larkfield.example', 'TXT'],
    ['returns.larkfield.example', 'MX'],
    ['_dmarc.larkfield.example', 'TXT'],
  ];
  expect(await names()).toEqual(NAMES.map((one) => [...one, null]));
  const [first] = await lookAtDns(deps, world.brandId);
  const zone: Record<string, string[]> = {
    'TXT nov2026._domainkey.larkfield.example': ['something else', first!.wanted],
    'TXT returns.larkfield.example': ['v=spf1 ip4:192.0.2.1 -all'],
    'MX returns.larkfield.example': [],
  };
  deps.remembered.clear();
  deps.askRecords = (name, type) => Promise.resolve(zone[`${type} ${name}`]);
  expect(await names()).toEqual(NAMES.map((one, index) => [...one, [true, true, false, null][index]]));
  deps.remembered.clear();
  zone['TXT nov2026._domainkey.larkfield.example'] = ['v=DKIM1; k=rsa; p='];
  zone['TXT _dmarc.larkfield.example'] = ['v=DMARC1; p=reject'];
  expect((await names()).map(([, , agrees]) => agrees)).toEqual([false, true, false, true]);
});
