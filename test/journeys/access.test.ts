import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { makeClient, type Client } from '../../src/client/client.ts';
import { makeAvendel } from '../support/cli.ts';
import { EMAIL, PASSWORD, startRealService, type Running } from '../support/service.ts';

let service: Running;

beforeAll(async () => {
  service = await startRealService();
});
afterAll(() => service.stop());

const NEW_PASSWORD = 'a longer planisphere';
const stranger = (): Client => makeClient({ base: service.console });
const refusal = (code: string) => ({ problem: { type: expect.stringMatching(new RegExp(`#${code}$`)) as unknown } });

/** A browser: a session with its cookie and its token against forged requests. */
async function browse(password: string): Promise<Client> {
  let cookie = '';
  let csrf: string | null = null;
  const client = makeClient({
    base: service.console,
    csrf: () => csrf,
    fetch: async (url, init) => {
      const answer = await fetch(url, { ...init, headers: { ...(init?.headers as Record<string, string>), cookie } });
      cookie = answer.headers.get('set-cookie')?.split(';')[0] ?? cookie;
      return answer;
    },
  });
  csrf = (await client.signIn(EMAIL, password)).csrf;
  return client;
}

describe('API tokens', () => {
  test('are listed without themselves, say when they were used, and once revoked open nothing', async () => {
    const { token } = await stranger().createToken(EMAIL, PASSWORD, 'ticket desk');
    const desk = makeClient({ base: service.console, token });
    const [made] = (await service.client.tokens()).items;
    expect(made).toMatchObject({ name: 'ticket desk', lastUsedAt: null, revokedAt: null });
    expect(JSON.stringify(made)).not.toContain(token.slice('avendel_'.length));
    await desk.brands();
    expect((await service.client.tokens()).items[0]!.lastUsedAt).not.toBeNull();
    await service.client.revokeToken(made!.id);
    await expect(desk.brands()).rejects.toMatchObject(refusal('not-signed-in'));
    const again = await service.client.revokeToken(made!.id).then(() => 'the same again');
    expect(again).toBe('the same again');
    await expect(service.client.revokeToken(999)).rejects.toMatchObject(refusal('not-found'));
  });

  test('by command line: made with the password, listed, revoked; a wrong password makes none', async () => {
    const avendel = makeAvendel(service, { AVENDEL_PASSWORD: PASSWORD });
    const made = await avendel('access', 'new-token', 'till');
    expect(made).toMatchObject({ code: 0, stdout: expect.stringMatching(/^avendel_\S{40}\n$/) as unknown, stderr: expect.stringContaining('only time') as unknown }); // prettier-ignore
    const wrong = await makeAvendel(service, { AVENDEL_PASSWORD: 'not this one' })('access', 'new-token', 'thief');
    expect([wrong.code, wrong.stdout]).toEqual([1, '']);
    const listed = JSON.parse((await avendel('access', 'tokens', '--json')).stdout) as { id: number; name: string }[];
    expect(listed.map(({ name }) => name)).not.toContain('thief');
    const till = listed.find(({ name }) => name === 'till')!;
    expect((await avendel('access', 'revoke', String(till.id))).code).toBe(0);
    expect((await avendel('access', 'tokens')).stdout).toMatch(new RegExp(`${till.id} +till .*\\d\\d:\\d\\d$`, 'm'));
  });
});

describe('the password', () => {
  test('is changed with the present one; other browsers are out, this one and tokens stay in', async () => {
    const [here, elsewhere] = [await browse(PASSWORD), await browse(PASSWORD)];
    await expect(here.changePassword('not this one', NEW_PASSWORD)).rejects.toMatchObject(refusal('wrong-password'));
    await expect(here.changePassword(PASSWORD, 'short')).rejects.toMatchObject(refusal('invalid-input'));
    expect((await elsewhere.session()).email).toBe(EMAIL);
    await here.changePassword(PASSWORD, NEW_PASSWORD);
    expect((await here.session()).email).toBe(EMAIL);
    await expect(elsewhere.session()).rejects.toMatchObject(refusal('not-signed-in'));
    expect(await service.client.brands()).toEqual([]);
    await expect(browse(PASSWORD)).rejects.toMatchObject(refusal('wrong-password'));
    expect((await (await browse(NEW_PASSWORD)).session()).email).toBe(EMAIL);
    const avendel = makeAvendel(service, { AVENDEL_PASSWORD: NEW_PASSWORD, AVENDEL_NEW_PASSWORD: PASSWORD });
    expect((await avendel('access', 'password')).code).toBe(0);
    await expect(here.session()).rejects.toMatchObject(refusal('not-signed-in'));
    expect((await (await browse(PASSWORD)).session()).email).toBe(EMAIL);
  });

  test('cannot be guessed: after twenty wrong ones within the hour not even the right one is looked at', async () => {
    const codes: string[] = [];
    for (let guess = 0; guess < 21; guess++)
      await stranger().signIn(EMAIL.toUpperCase(), `guess ${guess}`).catch((error: { problem: { type: string } }) => void codes.push(error.problem.type.split('#')[1]!)); // prettier-ignore
    expect(codes).toEqual([...Array.from({ length: 20 }, () => 'wrong-password'), 'too-many-tries']);
    await expect(stranger().signIn(EMAIL, PASSWORD)).rejects.toMatchObject(refusal('too-many-tries'));
    await expect(stranger().signIn('nobody@larkfield.example', PASSWORD)).rejects.toMatchObject(refusal('wrong-password')); // prettier-ignore
    expect(await service.client.brands()).toEqual([]);
  });
});
