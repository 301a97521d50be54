import { execFile, spawn, type ChildProcess } from 'node:child_process';
import { mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { request } from 'node:https';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { promisify } from 'node:util';
import { afterAll, beforeAll, expect, test } from '@jest/globals';
import nodemailer from 'nodemailer';
import { deliveryReport } from '../../src/simulator/reports.ts';
import { makeDatabase } from '../support/database.ts';
import { startNginx, type Nginx } from '../support/nginx.ts';
import { freePort, PASSWORD, until } from '../support/service.ts';
import { startSink, twice } from '../support/sink.ts';

/** docs/operating.md, followed on loopback: what it says of a machine holds of an empty folder here. */
const run = promisify(execFile);
const home = mkdtempSync(join(tmpdir(), 'avendel-operating-'));
const at = (...path: string[]): string => join(home, ...path);
let database: Awaited<ReturnType<typeof makeDatabase>>;
let sink: Awaited<ReturnType<typeof startSink>>;
let nginx: Nginx;
let doors: { console: number; public: number; plain: number; intake: number };
const ports: Record<string, number> = {};
const processes = new Map<string, { child: ChildProcess; said: () => string }>();

beforeAll(async () => {
  for (const port of ['7400', '7401', '7402', '7410', '7411', '7412']) ports[port] = await freePort();
  const [consolePort, publicPort, plain, intake, relay] = await Promise.all([1, 2, 3, 4, 5].map(() => freePort()));
  doors = { console: consolePort!, public: publicPort!, plain: plain!, intake: intake! };
  database = await makeDatabase();
  sink = await startSink(relay!, { delayMs: 5 });
  writeSettings(relay!);
});
afterAll(async () => {
  for (const { child } of processes.values()) child.kill('SIGKILL');
  await nginx?.stop();
  await sink.close();
  await database.drop();
  rmSync(home, { recursive: true, force: true });
});

/** `settings`, `settings-a` and `settings-b` of the tarball, with what is one's own written in. */
function writeSettings(relay: number): void {
  mkdirSync(at('etc'));
  writeFileSync(at('etc', 'secret-key'), Buffer.alloc(32, 'sextant').toString('base64'));
  const own = {
    AVENDEL_DATABASE_URL: database.url,
    AVENDEL_SECRET_KEY_FILE: at('etc', 'secret-key'),
    AVENDEL_CONSOLE_URL: `https://localhost:${doors.console}`,
    AVENDEL_PUBLIC_URL: `https://localhost:${doors.public}`,
    AVENDEL_RELAY_URL: `smtp://127.0.0.1:${relay}`,
    AVENDEL_ADMIN_PASSWORD: PASSWORD,
  };
  const settings = readFileSync('deploy/settings', 'utf8')
    .split('\n')
    .filter((line) => !(line.split('=')[0]! in own));
  const ofOwn = Object.entries(own).map(([name, value]) => `${name}=${value}`);
  writeFileSync(at('etc', 'settings'), [...settings, ...ofOwn].join('\n'));
  for (const which of ['a', 'b'])
    writeFileSync(
      at('etc', `settings-${which}`),
      readFileSync(`deploy/settings-${which}`, 'utf8').replace(/=(74\d\d)/g, (_, port: string) => `=${ports[port]}`),
    );
}

/** The variables of settings files, as systemd reads them. */
function readSettings(...names: string[]): NodeJS.ProcessEnv {
  const lines = names.flatMap((name) => readFileSync(at('etc', name), 'utf8').split('\n'));
  return Object.fromEntries(
    lines
      .filter((line) => /^[A-Z]/.test(line))
      .map((line) => [line.slice(0, line.indexOf('=')), line.slice(line.indexOf('=') + 1)]),
  );
}

/** `systemctl start avendel@a`, and waiting until it is ready. */
async function start(which: 'a' | 'b'): Promise<void> {
  const child = spawn(process.execPath, [at(which, 'bin', 'avendel'), 'service'], {
    cwd: '/',
    env: { PATH: process.env['PATH'], NODE_ENV: 'production', ...readSettings('settings', `settings-${which}`) },
    stdio: ['ignore', 'pipe', 'pipe'],
  });
  let said = '';
  for (const stream of [child.stdout, child.stderr])
    stream.setEncoding('utf8').on('data', (text: string) => (said += text));
  processes.set(which, { child, said: () => said });
  await until(async () => {
    if (child.exitCode !== null) throw new Error(said);
    return (await fetch(`http://127.0.0.1:${ports[which === 'a' ? '7400' : '7410']}/readyz`)).ok;
  });
}

/** `systemctl stop avendel@a`. */
async function stop(which: 'a' | 'b'): Promise<number | null> {
  const { child } = processes.get(which)!;
  child.kill('SIGTERM');
  await until(() => child.exitCode !== null || child.signalCode !== null, 60_000);
  processes.delete(which);
  return child.exitCode;
}

/** The command line of the tarball, through nginx, which it trusts by the certificate made here. */
async function avendel(...words: string[]): Promise<string> {
  const { stdout } = await run(process.execPath, [at('a', 'bin', 'avendel'), ...words], {
    cwd: home,
    env: {
      PATH: process.env['PATH'],
      AVENDEL_SERVICE: `https://localhost:${doors.console}`,
      AVENDEL_SIGN_IN_FILE: at('sign-in.json'),
      AVENDEL_PASSWORD: PASSWORD,
      NODE_EXTRA_CA_CERTS: at('nginx', 'fullchain.pem'),
    },
  });
  return stdout;
}

const programsOfPostgres = async (): Promise<string> =>
  (await run('bash', ['-c', 'ls -d /usr/lib/postgresql/*/bin | sort -V | tail -n 1'])).stdout.trim();

/** A request through nginx; the status it was answered with. */
const ask = (url: string, method = 'GET', body = ''): Promise<number> =>
  new Promise((resolve, reject) => {
    const headers = { 'content-type': 'application/x-www-form-urlencoded', 'content-length': String(body.length) };
    // Each a connection of its own: one that is kept may be ended in the moment it is used again.
    const call = request(
      url,
      { method, agent: false, headers, ca: readFileSync(at('nginx', 'fullchain.pem')) },
      (response) => {
        response.resume().once('end', () => resolve(response.statusCode!));
      },
    );
    call.once('error', reject);
    call.end(body);
  });

test('the tarball holds everything that runs, and nothing of the demo', async () => {
  const { stdout } = await run('npm', ['pack', '--ignore-scripts', '--pack-destination', home, '--json'], {
    maxBuffer: 1e8,
  });
  const [{ filename }] = JSON.parse(stdout) as [{ filename: string }];
  for (const which of ['a', 'b']) {
    mkdirSync(at(which));
    await run('tar', ['xzf', at(filename), '--strip-components=1', '-C', at(which)]);
  }
  const files = (await run('tar', ['tzf', at(filename)], { maxBuffer: 1e8 })).stdout.split('\n');
  expect(files).toEqual(
    expect.arrayContaining([
      'package/dist/service/main.js',
      'package/dist/console/index.html',
      'package/deploy/avendel@.service',
      'package/docs/operating.md',
    ]),
  );
  expect(
    files.filter((file) => /simulator|playwright|typescript\/lib|node_modules\/(jest|vite|react)\//.test(file)),
  ).toEqual([]);
}, 180_000);

test('it starts on an empty database, behind nginx, and says who may sign in', async () => {
  mkdirSync(at('nginx'));
  await run('openssl', [
    ...['req', '-x509', '-newkey', 'rsa:2048', '-nodes', '-days', '2', '-subj', '/CN=localhost'],
    ...[
      '-addext',
      'subjectAltName=DNS:localhost',
      '-keyout',
      at('nginx', 'privkey.pem'),
      '-out',
      at('nginx', 'fullchain.pem'),
    ],
  ]);
  await start('a');
  await until(() => processes.get('a')!.said().includes('Avendel is ready.'));
  nginx = await startNginx(at('nginx'), at('a', 'deploy'), doors, ports);
  expect(await ask(`https://localhost:${doors.console}/`)).toBe(200);
  expect(await ask(`https://localhost:${doors.console}/api/v1/brands`)).toBe(401);
  expect(await avendel('sign-in', '--email', 'rosa.lindgard@larkfield.example')).toContain(
    'Signed in as Rosa Lindgard',
  );
  // From elsewhere the figures need a token: nginx is no neighbour.
  expect(await ask(`https://localhost:${doors.console}/metrics`)).toBe(401);
});

const message = (name: string) => sink.received.find(({ to }) => to === `${name}@lanternpost.example`)!;
const headersOf = (name: string): string => message(name).raw.slice(0, message(name).raw.indexOf('\r\n\r\n'));

test('a brand, a list, an import, and a campaign that arrives', async () => {
  await avendel(
    'brands',
    'create',
    'Larkfield Observatory',
    '--from',
    'digest@larkfield.example',
    '--return-domain',
    'returns.larkfield.example',
    '--zone',
    'Europe/Lisbon',
  );
  await avendel('lists', 'create', 'Night Digest', '--brand', 'Larkfield Observatory');
  const readers = ['ada', 'bo', 'cy'].map((name) => `${name}@lanternpost.example,${name}`);
  writeFileSync(at('readers.csv'), ['address,name', ...readers].join('\n'));
  writeFileSync(
    at('letter.html'),
    '<p>Dear [[first_name else "reader"]], <a href="https://larkfield.example/sky">the sky</a>.</p>',
  );
  expect(await avendel('contacts', 'import', 'readers.csv', '--list', 'Night Digest')).toMatch(/3/);
  await avendel(
    'campaigns',
    'create',
    'The first letter',
    '--brand',
    'Larkfield Observatory',
    '--list',
    'Night Digest',
    '--subject',
    'The sky',
    '--html',
    'letter.html',
  );
  await avendel('campaigns', 'send', 'The first letter', '--expect', '3');
  await until(() => sink.received.length === 3);
  expect(sink.received.map(({ to }) => to.split('@')[0]).sort()).toEqual(['ada', 'bo', 'cy']);
});

test('one click unsubscribes through nginx, and a bounce that comes through it counts', async () => {
  const out = new RegExp(`https://localhost:${doors.public}/out/[a-z2-7]+`).exec(
    headersOf('ada').replace(/\r\n\s+/g, ''),
  )![0];
  expect(await ask(out, 'POST', 'List-Unsubscribe=One-Click')).toBe(200);
  expect(await avendel('contacts', 'check', 'ada@lanternpost.example')).toContain('unsubscribed');
  const transport = nodemailer.createTransport({ host: '127.0.0.1', port: doors.intake, ignoreTLS: true });
  const original = { envelopeFrom: message('bo').from, to: message('bo').to, headers: headersOf('bo') };
  await transport.sendMail({
    envelope: { from: '', to: original.envelopeFrom },
    raw: deliveryReport(original, '5.1.1', '550 5.1.1 no such user'),
  });
  transport.close();
  expect(await avendel('contacts', 'check', 'bo@lanternpost.example')).toContain('undeliverable');
});

test('the page names every metric there is', async () => {
  const text = await (await fetch(`http://127.0.0.1:${ports['7400']}/metrics`)).text();
  const page = readFileSync('docs/operating.md', 'utf8');
  const names = [...text.matchAll(/^# TYPE (\w+)/gm)].map(([, name]) => name!);
  expect(names.length).toBeGreaterThan(3);
  expect(names.filter((name) => !page.includes(`\`${name}`))).toEqual([]);
});

test('an upgrade while messages go out: nobody waits in vain, and nobody gets it twice', async () => {
  const many = Array.from({ length: 1500 }, (_, n) => `guest${n}@quillmail.example`);
  writeFileSync(at('guests.csv'), ['address', ...many].join('\n'));
  await avendel('lists', 'create', 'Guests', '--brand', 'Larkfield Observatory');
  await avendel('contacts', 'import', 'guests.csv', '--list', 'Guests');
  await avendel(
    'campaigns',
    'create',
    'To the guests',
    '--brand',
    'Larkfield Observatory',
    '--list',
    'Guests',
    '--subject',
    'The sky',
    '--html',
    'letter.html',
  );
  const before = sink.received.length;
  await avendel('campaigns', 'send', 'To the guests', '--expect', '1500');
  await until(() => sink.received.length > before + 20);
  // Who works here, and who reads, ask all the while.
  const answered: number[] = [];
  let goesOn = true;
  const asking = (async () => {
    while (goesOn) {
      answered.push(await ask(`https://localhost:${doors.console}/readyz`).catch(() => 0));
      answered.push(await ask(`https://localhost:${doors.public}/robots.txt`).catch(() => 0));
    }
  })();
  await start('b');
  await nginx.switchTo('b');
  // What nginx still had with the old one is ended by it.
  expect(await stop('a')).toBe(0);
  await until(() => sink.received.length === before + many.length);
  goesOn = false;
  await asking;
  expect(answered.length).toBeGreaterThan(10);
  expect([...new Set(answered)].filter((status) => status === 0 || status >= 500)).toEqual([]);
  expect(twice(sink.received.slice(before))).toEqual([]);
  expect(await avendel('campaigns', 'report', 'To the guests')).toMatch(/1,500/);
  // What left before the upgrade leads where it led.
  const link = new RegExp(`https://localhost:${doors.public}/out/[a-z2-7]+`).exec(
    headersOf('cy').replace(/\r\n\s+/g, ''),
  )![0];
  expect(await ask(link, 'POST', 'List-Unsubscribe=One-Click')).toBe(200);
});

test('a process that was gone for a moment is asked again as soon as it is there', async () => {
  await stop('b');
  expect(await ask(`https://localhost:${doors.public}/robots.txt`)).toBe(502);
  await start('b');
  expect(await ask(`https://localhost:${doors.public}/robots.txt`)).toBeLessThan(500);
  expect(await ask(`https://localhost:${doors.console}/readyz`)).toBe(200);
});

/** Puts a copy into an empty database, as the page says, and has the settings lead to it. */
async function restore(copy: string): Promise<() => Promise<void>> {
  const other = await makeDatabase();
  await run(join(await programsOfPostgres(), 'pg_restore'), ['--no-owner', `--dbname=${other.url}`, copy]);
  const settings = readFileSync(at('etc', 'settings'), 'utf8');
  writeFileSync(
    at('etc', 'settings'),
    settings.replace(/^AVENDEL_DATABASE_URL=.*$/m, `AVENDEL_DATABASE_URL=${other.url}`),
  );
  return other.drop;
}

test('a copy of the database is enough to begin again elsewhere', async () => {
  await stop('b');
  await run(join(await programsOfPostgres(), 'pg_dump'), ['--format=custom', `--file=${at('copy')}`, database.url]);
  const drop = await restore(at('copy'));
  await start('b');
  expect(await avendel('contacts', 'check', 'ada@lanternpost.example')).toContain('unsubscribed');
  await stop('b');
  await drop();
});

/**
 * Copied while its second letter was going out: 16 of 57 had it. Of the first reader 1 had unsubscribed, reader 2 had
 * bounced, and reader 3 was suppressed by hand.
 */
test('a base of version 0.1.0, in the middle of a campaign, goes on where it was', async () => {
  const before = sink.received.length;
  const drop = await restore('test/fixtures/base-of-0.1.0.dump');
  await start('b');
  await avendel('sign-in', '--email', 'rosa.lindgard@larkfield.example');
  await until(async () => (await avendel('campaigns', 'report', 'The second letter')).includes('finished'));
  const addressed = sink.received.slice(before).map(({ to }) => to);
  expect(addressed).toHaveLength(57 - 16);
  expect(new Set(addressed).size).toBe(57 - 16);
  for (const [reader, why] of [
    [1, 'unsubscribed'],
    [2, 'undeliverable'],
    [3, 'suppressed'],
  ] as const) {
    expect(addressed).not.toContain(`reader${reader}@lanternpost.example`);
    expect(await avendel('contacts', 'check', `reader${reader}@lanternpost.example`)).toContain(why);
  }
  // A link in the first letter, to reader 4.
  const out = `https://localhost:${doors.public}/out/afxuzuptycbjexsrviigqszslnwkuhq7fx3r37y`;
  expect(await ask(out, 'POST', 'List-Unsubscribe=One-Click')).toBe(200);
  expect(await avendel('contacts', 'check', 'reader4@lanternpost.example')).toContain('unsubscribed');
  await stop('b');
  await drop();
});
