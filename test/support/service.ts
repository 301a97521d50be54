import { spawn, type ChildProcess } from 'node:child_process';
import { createServer } from 'node:net';
import { makeClient, type Client } from '../../src/client/client.ts';
import type { List } from '../../src/shared/contract/organisation.ts';
import { makeDatabase } from './database.ts';

export const PASSWORD = 'a brass planisphere';
export const NAME = 'Rosa Lindgard';
/** What secrets of a service under test are encrypted with. */
export const SECRET_KEY = Buffer.alloc(32, 'observatory').toString('base64');
export const EMAIL = 'rosa.lindgard@larkfield.example';

export interface Running {
  client: Client;
  token: string;
  console: string;
  public: string;
  intakePort: number;
  relayPort: number;
  databaseUrl: string;
  environment: NodeJS.ProcessEnv;
  /** Starts one more process of the service on the same database. */
  startAnother(): Promise<ChildProcess>;
  /** Ends the first process at once, as a power cut would, and starts it again. */
  kill(): void;
  restart(): Promise<void>;
  /** Asks the first process to end, and waits until it has; says with which code. */
  end(): Promise<number | null>;
  stop(): Promise<void>;
}

/** Below those that the machine gives to whoever connects: such a one may be taken before it is listened at. */
const PORTS = { from: 10_000, to: 32_000 };

/** A port on loopback at which nobody listens. */
export async function freePort(): Promise<number> {
  for (;;) {
    const port = PORTS.from + Math.floor(Math.random() * (PORTS.to - PORTS.from));
    const server = createServer();
    const isFree = await new Promise<boolean>((resolve) => {
      server.once('error', () => resolve(false));
      server.listen(port, '127.0.0.1', () => resolve(true));
    });
    if (!isFree) continue;
    await new Promise((resolve) => server.close(resolve));
    return port;
  }
}

/** The real service, as a process of its own on a database of its own. */
export async function startRealService(settings: NodeJS.ProcessEnv = {}): Promise<Running> {
  const { url, drop } = await makeDatabase();
  const [consolePort, publicPort, intakePort, relayPort] = [
    await freePort(),
    await freePort(),
    await freePort(),
    await freePort(),
  ];
  const environment: NodeJS.ProcessEnv = {
    PATH: process.env['PATH'],
    AVENDEL_DATABASE_URL: url,
    AVENDEL_CONSOLE_PORT: String(consolePort),
    AVENDEL_PUBLIC_PORT: String(publicPort),
    AVENDEL_INTAKE_PORT: String(intakePort),
    AVENDEL_RELAY_URL: `smtp://127.0.0.1:${relayPort}`,
    AVENDEL_ADMIN_EMAIL: EMAIL,
    AVENDEL_ADMIN_NAME: NAME,
    AVENDEL_ADMIN_PASSWORD: PASSWORD,
    AVENDEL_SECRET_KEY: SECRET_KEY,
    AVENDEL_LOG_LEVEL: 'error',
    AVENDEL_RETRY_SECONDS: '0.2',
    AVENDEL_CHECK_ANSWERS: 'yes',
    ...settings,
  };
  const children = new Set<ChildProcess>();
  const start = async (changes: NodeJS.ProcessEnv = {}): Promise<ChildProcess> => {
    const child = spawn(process.execPath, ['--enable-source-maps', 'dist/service/main.js'], {
      env: { ...environment, ...changes },
      stdio: ['ignore', 'ignore', 'inherit'],
    });
    children.add(child);
    child.once('exit', () => children.delete(child));
    await until(
      async () => (await fetch(`http://127.0.0.1:${changes['AVENDEL_CONSOLE_PORT'] ?? consolePort}/readyz`)).ok,
    );
    return child;
  };
  let first = await start();
  const base = `http://127.0.0.1:${consolePort}`;
  const { token } = await makeClient({ base }).createToken({
    email: EMAIL,
    password: PASSWORD,
    name: 'test',
    scope: 'administer',
  });
  return {
    client: makeClient({ base, token }),
    token,
    console: base,
    public: `http://127.0.0.1:${publicPort}`,
    intakePort,
    relayPort,
    databaseUrl: url,
    environment,
    startAnother: async () =>
      start({
        AVENDEL_CONSOLE_PORT: String(await freePort()),
        AVENDEL_PUBLIC_PORT: String(await freePort()),
        AVENDEL_INTAKE_PORT: String(await freePort()),
        AVENDEL_PUBLIC_URL: `http://127.0.0.1:${publicPort}`,
      }),
    kill: () => void first.kill('SIGKILL'),
    restart: async () => {
      first = await start();
    },
    end: () =>
      new Promise((resolve) => {
        first.once('exit', resolve);
        first.kill('SIGTERM');
      }),
    stop: async () => {
      await Promise.all(
        [...children].map((child) => new Promise((resolve) => (child.once('exit', resolve), child.kill('SIGKILL')))),
      );
      await drop();
    },
  };
}

/**
 * Waits for a condition, for at most two and a half minutes: a busy machine is no failure. A condition that throws does
 * not hold yet.
 */
export async function until(holds: () => Promise<boolean> | boolean, withinMs = 150_000): Promise<void> {
  const end = Date.now() + withinMs;
  let last: unknown;
  while (Date.now() < end) {
    try {
      if (await holds()) return;
    } catch (error) {
      last = error;
    }
    await new Promise((resolve) => setTimeout(resolve, 25));
  }
  throw new Error(`waited in vain${last instanceof Error ? `: ${last.message}` : ''}`);
}

/** A brand with a list and these contacts on it. */
export async function makeList(client: Client, addresses: string[], name = 'Night Digest'): Promise<List> {
  const brands = await client.brands();
  const brand =
    brands[0] ??
    (await client.createBrand({
      name: 'Larkfield Observatory',
      fromAddress: 'digest@larkfield.example',
      returnDomain: 'returns.larkfield.example',
    }));
  const list = await client.createList({ brandId: brand.id, name });
  const begun = await client.importFile({
    listId: list.id,
    fileName: 'people.csv',
    file: ['address,name,joined', ...addresses.map((address, index) => `${address},Reader ${index},2026-01-01`)].join(
      '\n',
    ),
  });
  await until(async () => (await client.import({ id: begun.id })).state === 'finished');
  return list;
}

/** A campaign to a list, ready to be sent. */
export async function makeCampaign(client: Client, list: List, name: string): Promise<number> {
  const html =
    '<p>Dear [[first_name else "reader"]], <a href="https://larkfield.example/sky">the sky</a> and <a href="https://larkfield.example/map">a map</a></p>';
  return (await client.createCampaign({ brandId: list.brandId, name, subject: 'The sky', html, listIds: [list.id] }))
    .id;
}

/** A campaign to these readers that all of them have. */
export async function sendFirst(
  { client }: Running,
  sink: { received: readonly unknown[] },
  names: readonly string[],
): Promise<void> {
  const list = await makeList(
    client,
    names.map((name) => `${name}@lanternpost.example`),
  );
  await client.startCampaign({ id: await makeCampaign(client, list, 'First'), expect: names.length });
  await until(() => sink.received.length === names.length);
}

/** A visit, as another system reports it: one line of `POST /events`. */
export function visitLine(brandId: number, change: object = {}): string {
  return JSON.stringify({
    kind: 'visited',
    at: '2026-11-01T10:00:00Z',
    source: 'site',
    externalId: '1',
    address: 'ada@lanternpost.example',
    brandId,
    ...change,
  });
}
