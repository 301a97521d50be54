import type { Server } from 'node:net';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { createAdaptorServer } from '@hono/node-server';
import { Hono } from 'hono';
import pino, { type Logger } from 'pino';
import { makeTokenizer } from '../core/message/token.ts';
import type { Deps } from '../operations/deps.ts';
import { makeSecrets } from '../core/access/seal.ts';
import { ensureFirstAccount } from '../operations/accounts/first-account.ts';
import { prepareTokenKeys } from '../operations/accounts/token-keys.ts';
import { migrate, openDatabase } from '../store/database.ts';
import { execute } from '../store/sql.ts';
import { findEventMonths } from '../store/statements/events.ts';
import type { Config } from './config.ts';
import { makeAskExchange, makeAskRecords } from './dns-exchange.ts';
import { makeApi, type ApiOptions } from './http/api.ts';
import { makeConsoleFiles } from './http/console.ts';
import { knownHosts, makeDoors } from './http/doors.ts';
import { makeMetrics, mayReadMetrics } from './http/metrics.ts';
import { makeNetworkOf } from './http/network-of.ts';
import { makePublicApp } from './http/public.ts';
import { startImapIntake } from './intake/imap-intake.ts';
import { makeReturnReader } from './intake/return-reader.ts';
import { makeSmtpIntake } from './intake/smtp-intake.ts';
import { makeRelays } from './relay/relays.ts';
import { makeEventRecorder, type EventRecorder } from './tracking/event-recorder.ts';
import { makeProcessIdentity } from './process-identity.ts';
import { startHousekeeping } from './workers/housekeeping.ts';
import { startCatchingUp, startFolding } from './workers/tallies.ts';
import { startConfirmer } from './workers/confirmer.ts';
import { startImporter, startRunner, startSchedule } from './workers/jobs.ts';
import { startBrake } from './workers/brake.ts';
import { startSender } from './workers/sender.ts';

export interface Service {
  /** Password of the account that the first start made; undefined if there was one. */
  adminPassword: string | undefined;
  stop(): Promise<void>;
}

/** Connections to PostgreSQL: sending, tracking and the console side by side, with one kept for this process's lock. */
const POOL_SIZE = 16;

/**
 * How long a request may take to arrive, in milliseconds: strangers send a form at most, who works here sends files of
 * millions of rows. Whoever is slower is let go, and holds nothing but a socket until then.
 */
const PUBLIC_TIMES = { headersTimeout: 15_000, requestTimeout: 30_000, connectionsCheckingInterval: 5_000 };
const CONSOLE_TIMES = { headersTimeout: 15_000, requestTimeout: 3_600_000, connectionsCheckingInterval: 5_000 };

/**
 * Puts the service together and starts it. What was acquired is released backwards, also when starting fails half-way.
 */
export async function startService(config: Config): Promise<Service> {
  const log = pino({ level: config.logLevel });
  const releases: Releases = [];
  const stop = async (): Promise<void> => {
    for (let release = releases.pop(); release; release = releases.pop())
      await release().catch((error: Error) => log.error({ err: error }, 'stopping'));
  };
  try {
    const adminPassword = await start(config, log, releases);
    return { adminPassword, stop };
  } catch (error) {
    await stop();
    throw error;
  }
}

/** Undone, the last first, when the service stops. */
type Releases = (() => Promise<unknown>)[];

async function start(config: Config, log: Logger, releases: Releases): Promise<string | undefined> {
  const deps = await makeDeps(config, log, releases);
  const adminPassword = await ensureFirstAccount(deps, {
    email: config.adminEmail,
    name: config.adminName,
    password: config.adminPassword,
  });
  const identity = await makeProcessIdentity(deps.database, log);
  releases.push(() => identity.release());
  const recorder = makeEventRecorder(deps);
  releases.push(() => recorder.drain());
  const relays = makeRelays(
    deps,
    { url: config.relayUrl, connections: config.relayConnections },
    { environment: process.env, folder: config.secretsFolder },
    log,
  );
  releases.push(async () => relays.close());
  const api: ApiOptions = {
    deps,
    relays,
    processId: identity.id,
    networkOf: makeNetworkOf(config.proxies),
    doors: makeDoors(config.consoleUrl, config.consoleHosts),
    log,
    checksAnswers: config.checksAnswers,
  };
  await openPorts(config, api, recorder, releases);
  const workers = {
    housekeeping: startHousekeeping(deps, log),
    catchUp: startCatchingUp(deps, log),
    fold: startFolding(deps, log),
    send: startSender(deps, relays, identity.id, config.retrySeconds, log),
    brake: startBrake(deps, log),
    import: startImporter(deps, log),
    run: startRunner(deps, log),
    confirm: startConfirmer(deps, relays, log),
    mailbox: startImapIntake(deps, identity.id, log),
  };
  for (const loop of Object.values(workers)) releases.push(() => loop.stop());
  deps.announce = (work) => workers[work].wake();
  const schedule = await startSchedule(deps, config.databaseUrl, config.rulesCron, log);
  releases.push(() => schedule.stop());
  return adminPassword;
}

/** What operations need, on a database that is brought up to this version. */
async function makeDeps(config: Config, log: Logger, releases: Releases): Promise<Deps> {
  const database = await openDatabase(config.databaseUrl, POOL_SIZE);
  releases.push(() => database.destroy());
  await migrate(database);
  const secrets = config.secretKeys.length > 0 ? makeSecrets(config.secretKeys) : undefined;
  if (!secrets)
    log.warn(
      'AVENDEL_SECRET_KEY is not set: signing keys are kept as they are, and passwords of mailboxes cannot be kept',
    );
  const tokens = makeTokenizer(await prepareTokenKeys({ database, secrets }));
  const reader = makeReturnReader(log);
  releases.push(() => reader.stop());
  return {
    database,
    now: () => new Date(),
    tokens,
    secrets,
    publicUrl: config.publicUrl,
    eventMonths: new Set(await findEventMonths(database)),
    remembered: new Map(),
    costly: new Map(),
    askExchange: config.resolver === undefined ? undefined : makeAskExchange(config.resolver),
    askRecords: config.resolver === undefined ? undefined : makeAskRecords(config.resolver),
    readReturns: reader.readReturns,
    announce: () => undefined,
  };
}

/** Opens the public port, the console's, and the intake. */
async function openPorts(config: Config, api: ApiOptions, recorder: EventRecorder, releases: Releases): Promise<void> {
  const { deps, log, networkOf } = api;
  await listen(
    releases,
    createAdaptorServer({
      fetch: makePublicApp(deps, recorder, networkOf, log).fetch,
      serverOptions: PUBLIC_TIMES,
    }),
    config.publicPort,
    config.publicHost,
    'AVENDEL_PUBLIC_PORT',
  );
  await listen(
    releases,
    createAdaptorServer({ fetch: makeConsolePort(api, recorder).fetch, serverOptions: CONSOLE_TIMES }),
    config.consolePort,
    config.consoleHost,
    'AVENDEL_CONSOLE_PORT',
  );
  const intake = makeSmtpIntake(deps, log, undefined, config.intakeProxies);
  intake.on('error', (error) => log.warn({ err: error }, 'intake connection'));
  await listen(releases, intake.server, config.intakePort, config.intakeHost, 'AVENDEL_INTAKE_PORT');
}

function makeConsolePort(options: ApiOptions, recorder: EventRecorder): Hono {
  const { deps, doors } = options;
  const metrics = makeMetrics(deps, recorder);
  const app = new Hono();
  // Whoever watches over the service asks by whatever name they have for it.
  app.get('/healthz', (c) => c.text('ok'));
  app.get('/readyz', async (c) => (await execute(deps.database, 'SELECT 1'), c.text('ready')));
  app.get('/metrics', async (c) =>
    (await mayReadMetrics(deps, c))
      ? c.text(await metrics.metrics(), 200, { 'content-type': metrics.contentType, 'cache-control': 'no-store' })
      : c.text('From elsewhere this needs an API token: Authorization: Bearer …\n', 401),
  );
  app.use('*', knownHosts(doors));
  app.route('/api/v1', makeApi(options));
  app.route('/', makeConsoleFiles(join(dirname(fileURLToPath(import.meta.url)), '..', 'console')));
  return app;
}

/** Listens, or says which setting names a port that something else has. */
async function listen(releases: Releases, server: Server, port: number, host: string, setting: string): Promise<void> {
  await new Promise<void>((resolve, reject) => {
    server.once('error', (error: NodeJS.ErrnoException) =>
      reject(
        error.code === 'EADDRINUSE'
          ? new Error(`Port ${port} on ${host} is in use. Stop what uses it, or set ${setting} to another port.`)
          : error,
      ),
    );
    server.listen(port, host, resolve);
  });
  releases.push(
    () =>
      new Promise<void>((resolve) => {
        server.close(() => resolve());
        (server as { closeAllConnections?: () => void }).closeAllConnections?.();
      }),
  );
}
