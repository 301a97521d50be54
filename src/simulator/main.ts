import { existsSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Brand } from '../shared/contract/organisation.ts';
import { startNameServer } from './outside/name-server.ts';
import { BAD_DAYS, type BadDay } from './outside/mailbox.ts';
import { startOutsideWorld } from './outside/outside-world.ts';
import { writeDemoFiles } from './world/demo-files.ts';
import type { Providers } from './world/latest-campaign.ts';
import { loadWorld } from './world/load-world.ts';
import { speakHttp } from './speak-http.ts';
import { makePeople } from './world/people.ts';

/**
 * The simulator: `node dist/simulator/main.js` receives mail as the relay and reacts; with `--load` it first makes the
 * demo world, if there is none. Everything it does is invented, and none of it leaves this machine.
 */
async function main(): Promise<void> {
  const env = process.env;
  const say = (text: string): void => void process.stdout.write(`simulated: ${text}\n`);
  const people = makePeople();
  const badDays = new Map<string, BadDay>();
  const relay = new URL(env['AVENDEL_RELAY_URL'] ?? 'smtp://127.0.0.1:7426');
  const world = await startOutsideWorld({
    host: relay.hostname,
    port: Number(relay.port || 25),
    intakeHost: env['AVENDEL_INTAKE_HOST'] ?? '127.0.0.1',
    intakePort: Number(env['AVENDEL_INTAKE_PORT'] ?? 7425),
    pace: Number(env['AVENDEL_SIMULATOR_PACE'] ?? 1),
    people,
    badDays: () => new Map([...badDays, ...readBadDays(env['AVENDEL_DEMO_FILES'])]),
    say,
  });
  const names = await startNameServer('127.0.0.1', Number(env['AVENDEL_SIMULATOR_NAMES_PORT'] ?? 7453));
  const stop = (): void => void Promise.all([world.stop(), names.stop()]).then(() => process.exit(0));
  process.once('SIGINT', stop);
  process.once('SIGTERM', stop);
  if (env['AVENDEL_DEMO_FILES']) writeDemoFiles(env['AVENDEL_DEMO_FILES'], people);
  if (process.argv.includes('--load'))
    await loadOnce(say, {
      beginBadDay: (domain) => badDays.set(domain, 'unknown'),
      endBadDay: (domain) => badDays.delete(domain),
    });
  say(`receives at ${relay.host}; its people and machines react within a minute`);
}

/**
 * Anybody can give a provider a bad day: its domain on a line of `bad-days.txt` beside the demo's other files, and
 * behind it which: `unknown` if nothing stands there, `later`, `blocks` or `dead`.
 */
function readBadDays(folder: string | undefined): [string, BadDay][] {
  const file = folder === undefined ? '' : join(folder, 'bad-days.txt');
  const lines = existsSync(file) ? readFileSync(file, 'utf8').split('\n') : [];
  return lines.flatMap((line): [string, BadDay][] => {
    const [domain, kind] = line.trim().split(/\s+/);
    return domain ? [[domain, BAD_DAYS.find((one) => one === kind) ?? 'unknown']] : [];
  });
}

async function loadOnce(say: (text: string) => void, providers: Providers): Promise<void> {
  const base = process.env['AVENDEL_SERVICE'] ?? 'http://127.0.0.1:7400';
  const api = speakHttp(base, process.env['AVENDEL_TOKEN'] ?? '');
  if ((await api.get<Brand[]>('/brands')).length > 0) return;
  const began = Date.now();
  await loadWorld(api, new Date(), say, { providers });
  say(`the demo world is there after ${((Date.now() - began) / 1000).toFixed(1)} s`);
}

main().catch((error: Error) => {
  process.stderr.write(`The simulator stopped: ${error.message}\n`);
  process.exit(1);
});
