import { afterAll, beforeAll, beforeEach, describe, expect, test } from '@jest/globals';
import { scryptSync } from 'node:crypto';
import { makeSecrets } from '../../src/core/access/seal.ts';
import { makeTokenizer } from '../../src/core/message/token.ts';
import { hashPassword } from '../../src/operations/accounts/passwords.ts';
import { ensureFirstAccount } from '../../src/operations/accounts/first-account.ts';
import { createApiToken, findSignedIn, signIn } from '../../src/operations/accounts/sign-in.ts';
import { countSignInTry } from '../../src/operations/accounts/sign-in-tries.ts';
import { prepareTokenKeys, refreshTokenKeys, rotateKeys } from '../../src/operations/accounts/token-keys.ts';
import { AccountEntity } from '../../src/store/entities/organisation.ts';
import { sweepSignInTries } from '../../src/store/statements/sign-in-tries.ts';
import { makeDeps } from '../support/database.ts';

let deps: Awaited<ReturnType<typeof makeDeps>>;
const EMAIL = 'rosa.lindgard@larkfield.example';
const PASSWORD = 'a brass planisphere';
const [HOME, ELSEWHERE] = ['203.0.113.7', '198.51.100.9'];

beforeAll(async () => {
  deps = await makeDeps();
  await ensureFirstAccount(deps, { email: EMAIL, name: 'Rosa Lindgard', password: PASSWORD });
});
afterAll(() => deps.close());
beforeEach(async () => {
  await deps.database.query('TRUNCATE sign_in_try, sign_in_network');
});

const pass = (seconds: number): void => void (deps.clock.now = new Date(deps.clock.now.getTime() + seconds * 1000));
const account = () => deps.database.getRepository(AccountEntity).findOneByOrFail({ email: EMAIL });
const enter = (password: string, network: string | null = HOME) =>
  signIn(deps, EMAIL, password, { network, userAgent: 'Browser' });
/** One try without a password, which would take its time: wrong unless it is said to be right. */
const tried = (network: string | null, email = EMAIL): Promise<number> =>
  countSignInTry(deps, email, network).then(
    () => 0,
    (error: { extra?: { retryAfter: number } }) => error.extra!.retryAfter,
  );
const tries = async (
  times: number,
  network: (index: number) => string | null,
  email?: (index: number) => string,
): Promise<number[]> => {
  const waits: number[] = [];
  for (let index = 0; index < times; index++) waits.push(await tried(network(index), email?.(index)));
  return waits;
};

describe('limits slow guessing down, and keep nobody out who knows the password', () => {
  test('after five wrong ones from one network the next waits, longer each time, and what is tried meanwhile is not counted', async () => {
    expect(await tries(7, () => HOME)).toEqual([0, 0, 0, 0, 0, 1, 1]);
    pass(1);
    expect(await tries(2, () => HOME)).toEqual([0, 2]);
    pass(2);
    expect(await tried(HOME)).toBe(0);
    pass(3601);
    expect(await tried(HOME)).toBe(0);
    expect(await tried(HOME)).toBe(0);
  });

  test('a hundred at once are counted one by one', async () => {
    const waits = await Promise.all(Array.from({ length: 100 }, () => tried(HOME)));
    expect(waits.filter((wait) => wait === 0)).toHaveLength(5);
  });

  test('the right password is taken as soon as the wait is over, and then everything is forgotten', async () => {
    await tries(5, () => HOME);
    await expect(enter(PASSWORD)).rejects.toMatchObject({ code: 'too-many-tries', extra: { retryAfter: 1 } });
    pass(1);
    expect((await enter(PASSWORD)).account.name).toBe('Rosa Lindgard');
    expect(await tries(5, () => HOME)).toEqual([0, 0, 0, 0, 0]);
  });

  test('one network that tries many addresses is slowed down; its /64 is one network', async () => {
    const waits = await tries(
      22,
      (index) => `2001:db8:0:1::${index + 1}`,
      (index) => `somebody${index}@larkfield.example`,
    );
    expect(waits).toEqual([...Array.from({ length: 20 }, () => 0), 1, 1]);
    expect(await tried('2001:db8:0:2::1', 'somebody@larkfield.example')).toBe(0);
  });

  test('many networks that try one address wait together; whoever signed in from theirs before does not', async () => {
    await enter(PASSWORD, HOME);
    const waits = await tries(22, (index) => `192.0.2.${index + 1}`);
    expect(waits).toEqual([...Array.from({ length: 20 }, () => 0), 5, 5]);
    expect((await enter(PASSWORD, HOME)).account.email).toBe(EMAIL);
    await expect(enter(PASSWORD, ELSEWHERE)).rejects.toMatchObject({ code: 'too-many-tries' });
    pass(5);
    expect((await enter(PASSWORD, ELSEWHERE)).account.email).toBe(EMAIL);
  });

  test('an address that nobody has waits the same, and where no network is known it counts as one', async () => {
    expect(
      await tries(
        6,
        () => null,
        () => 'nobody@larkfield.example',
      ),
    ).toEqual([0, 0, 0, 0, 0, 1]);
    await sweepSignInTries(deps.database, new Date(deps.clock.now.getTime() + 1));
    expect(await deps.database.query('SELECT count(*)::int AS n FROM sign_in_try')).toEqual([{ n: 0 }]);
  });
});

describe('passwords', () => {
  test('are kept with their cost, and hashed anew at the next sign-in when it has changed', async () => {
    expect((await account()).passwordHash).toMatch(/^scrypt:131072:8:1:[0-9a-f]{32}:[0-9a-f]{64}$/);
    const salt = Buffer.alloc(16, 7);
    const before = `${salt.toString('hex')}:${scryptSync(PASSWORD, salt, 32).toString('hex')}`;
    await deps.database.query('UPDATE account SET password_hash = $1', [before]);
    await expect(enter('not this one')).rejects.toMatchObject({ code: 'wrong-password' });
    expect((await account()).passwordHash).toBe(before);
    await enter(PASSWORD);
    expect((await account()).passwordHash).toMatch(/^scrypt:131072:/);
    expect((await enter(PASSWORD)).account.email).toBe(EMAIL);
  });
});

describe('passwords of before', () => {
  test('with characters that look like others are still taken, and from then on however the keyboard writes them', async () => {
    const old = 'ﬁne brass planispheres';
    const salt = Buffer.alloc(16, 9);
    await deps.database.query('UPDATE account SET password_hash = $1', [
      `${salt.toString('hex')}:${scryptSync(old, salt, 32).toString('hex')}`,
    ]);
    await expect(enter('fine brass planispheres')).rejects.toMatchObject({ code: 'wrong-password' });
    expect((await enter(old)).account.email).toBe(EMAIL);
    expect((await enter('fine brass planispheres')).account.email).toBe(EMAIL);
    await deps.database.query('UPDATE account SET password_hash = $1', [await hashPassword(PASSWORD)]);
  });

  test('a crowd is told to come again, and none of those turned away has guessed wrong', async () => {
    const came = await Promise.allSettled(
      Array.from({ length: 40 }, (_, index) =>
        signIn(deps, `nobody${index}@larkfield.example`, PASSWORD, {
          network: `192.0.2.${index + 1}`,
          userAgent: 'Browser',
        }),
      ),
    );
    const codes = came.map((one) => (one.status === 'rejected' ? (one.reason as { code: string }).code : 'in'));
    const times = (code: string): number => codes.filter((one) => one === code).length;
    const looked = times('wrong-password');
    expect(looked + times('too-busy')).toBe(40);
    expect(times('too-busy')).toBeGreaterThan(0);
    const counted = await deps.database.query<{ by: string; n: number }[]>(
      `SELECT split_part(key, ' ', 1) AS by, count(*)::int AS n FROM sign_in_try WHERE wrong > 0 GROUP BY 1 ORDER BY 1`,
    );
    expect(counted).toEqual([
      { by: 'address', n: 20 },
      { by: 'both', n: 20 },
      { by: 'network', n: 20 },
    ]);
  });
});

describe('sessions and tokens', () => {
  test('a session that is idle for half a day is over, one in use goes on, and a sign-in ends the one before', async () => {
    const { session } = await enter(PASSWORD);
    const idle = (hours: number) =>
      deps.database.query(`UPDATE session SET last_seen_at = now() - make_interval(hours => $1)`, [hours]);
    await idle(11);
    expect(await findSignedIn(deps, { session })).toMatchObject({ email: EMAIL, scope: 'administer' });
    await idle(13);
    expect(await findSignedIn(deps, { session })).toBeUndefined();
    const first = await enter(PASSWORD);
    const second = await signIn(deps, EMAIL, PASSWORD, { network: HOME, userAgent: 'Browser', session: first.session });
    expect(second.session).not.toBe(first.session);
    expect(await findSignedIn(deps, { session: first.session })).toBeUndefined();
    expect(await findSignedIn(deps, { session: second.session })).toBeDefined();
  });

  test('a token with an end opens nothing from then on, and none is made that has ended', async () => {
    const make = (expiresAt: Date | null) =>
      createApiToken(
        deps,
        { email: EMAIL, password: PASSWORD },
        { name: 'desk', scope: 'read', expiresAt },
        { network: HOME },
      );
    const { token } = await make(new Date(Date.now() + 3_600_000));
    expect(await findSignedIn(deps, { token })).toMatchObject({ scope: 'read' });
    await deps.database.query(`UPDATE api_token SET expires_at = now() - interval '1 second'`);
    expect(await findSignedIn(deps, { token })).toBeUndefined();
    await expect(make(new Date(deps.now().getTime() - 1))).rejects.toMatchObject({
      code: 'invalid-input',
      field: 'expiresAt',
    });
  });
});

describe('signing keys', () => {
  const payload = { use: 'click' as const, campaignId: 1, contactId: 2, link: 3 };

  test('are encrypted as soon as there is a key, and opened with it alone', async () => {
    const plain = await prepareTokenKeys({ database: deps.database });
    const secrets = makeSecrets([Buffer.alloc(32, 1)]);
    const sealed = await prepareTokenKeys({ database: deps.database, secrets });
    expect(sealed).toEqual(plain);
    const [kept]: { secret: Buffer; sealed: boolean }[] = await deps.database.query(
      'SELECT secret, sealed FROM token_key',
    );
    expect(kept!.sealed).toBe(true);
    expect(kept!.secret.includes(plain[0]!.secret)).toBe(false);
    await expect(prepareTokenKeys({ database: deps.database })).rejects.toThrow('AVENDEL_SECRET_KEY is not set');
    const other = makeSecrets([Buffer.alloc(32, 2)]);
    await expect(prepareTokenKeys({ database: deps.database, secrets: other })).rejects.toThrow('none of the keys');
    const both = makeSecrets([Buffer.alloc(32, 2), Buffer.alloc(32, 1)]);
    expect(await prepareTokenKeys({ database: deps.database, secrets: both })).toEqual(plain);
    expect(await prepareTokenKeys({ database: deps.database, secrets: other })).toEqual(plain);
  });

  test('a new one is known to every process before any signs with it; two at once make two', async () => {
    const secrets = makeSecrets([Buffer.alloc(32, 2)]);
    const process = async () => ({
      ...deps,
      secrets,
      tokens: makeTokenizer(await prepareTokenKeys({ database: deps.database, secrets }), deps.now().getTime()),
    });
    const [here, there] = [await process(), await process()];
    const old = there.tokens.make(payload);
    const made = await Promise.all([rotateKeys(here), rotateKeys(there)]);
    expect(made.map(({ version }) => version).sort()).toEqual([2, 3]);
    expect(here.tokens.make(payload)).toBe(old);
    await refreshTokenKeys(there);
    pass(60);
    await refreshTokenKeys(here);
    const fresh = here.tokens.make(payload);
    expect(fresh).not.toBe(old);
    expect([there.tokens.read(fresh, 'click'), here.tokens.read(old, 'click')]).toEqual([payload, payload]);
  });
});
