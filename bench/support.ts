import { spawn, type ChildProcess } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { makeClient, type Client } from '../src/client/client.ts';

/** What one benchmark found: our rate and the bare baseline's, in the same run, and the ratio. */
export interface Measured {
  name: string;
  unit: string;
  ours: number;
  bare: number;
  /** The ratio that is wanted; null where none was asked for. */
  wanted: number | null;
  peakMb: number;
}

export interface BenchService {
  client: Client;
  base: string;
  token: string;
  public: string;
  databaseUrl: string;
  /** Largest resident memory of the service so far, in MB, as the kernel counts it. */
  peakMb(): number;
  stop(): Promise<void>;
}

/** Starts the built service as a process of its own on this database. */
export async function startService(databaseUrl: string, relayPort: number, firstPort: number): Promise<BenchService> {
  const environment = {
    PATH: process.env['PATH'],
    AVENDEL_DATABASE_URL: databaseUrl,
    AVENDEL_CONSOLE_PORT: String(firstPort),
    AVENDEL_PUBLIC_PORT: String(firstPort + 1),
    AVENDEL_INTAKE_PORT: String(firstPort + 2),
    AVENDEL_RELAY_URL: `smtp://127.0.0.1:${relayPort}`,
    AVENDEL_ADMIN_EMAIL: 'bench@larkfield.example',
    AVENDEL_ADMIN_PASSWORD: 'only for benchmarks',
    AVENDEL_LOG_LEVEL: 'error',
    AVENDEL_SECRET_KEY: Buffer.alloc(32, 'bench').toString('base64'),
  };
  const child = spawn(process.execPath, ['dist/service/main.js'], {
    env: environment,
    stdio: ['ignore', 'ignore', 'inherit'],
  });
  const base = `http://127.0.0.1:${firstPort}`;
  await ready(child, `${base}/readyz`);
  const { token } = await makeClient({ base }).createToken({
    email: 'bench@larkfield.example',
    password: 'only for benchmarks',
    name: 'bench',
    scope: 'administer',
  });
  return {
    client: makeClient({ base, token }),
    base,
    token,
    public: `http://127.0.0.1:${firstPort + 1}`,
    databaseUrl,
    peakMb: () => Number(/VmHWM:\s+(\d+) kB/.exec(readFileSync(`/proc/${child.pid}/status`, 'utf8'))?.[1] ?? 0) / 1024,
    stop: () => new Promise((resolve) => (child.once('exit', () => resolve()), child.kill('SIGKILL'))),
  };
}

/** Starts a bare server of the bench in a process of its own and waits for its first line. */
export async function startHelper(file: string, ...args: string[]): Promise<{ stop(): void }> {
  const child = spawn(process.execPath, [`.avendel/bench/bench/${file}`, ...args], {
    stdio: ['ignore', 'pipe', 'inherit'],
  });
  await new Promise<void>((resolve, reject) => {
    child.stdout.once('data', () => resolve());
    child.once('exit', (code) => reject(new Error(`${file} ended with ${code}`)));
  });
  return { stop: () => void child.kill('SIGKILL') };
}

async function ready(child: ChildProcess, url: string): Promise<void> {
  for (let tries = 0; tries < 200; tries++) {
    if (child.exitCode !== null) throw new Error('the service did not start');
    const ok = await fetch(url).then(
      (response) => response.ok,
      () => false,
    );
    if (ok) return;
    await new Promise((resolve) => setTimeout(resolve, 50));
  }
  throw new Error('the service is not ready');
}

/** Seconds that `work` takes. */
export async function seconds(work: () => Promise<unknown>): Promise<number> {
  const began = process.hrtime.bigint();
  await work();
  return Number(process.hrtime.bigint() - began) / 1e9;
}

export interface RequestTimes {
  /** Requests a second. */
  rate: number;
  /** Share of the requests that were answered within so many milliseconds. */
  within(ms: number): number;
}

/** How fast so many connections get a set number of requests answered. */
export async function requestTimes(
  urls: string[],
  requests: number,
  connections: number,
  request: (index: number) => RequestInit = () => ({ headers: { 'user-agent': 'Mozilla/5.0 Mail' } }),
): Promise<RequestTimes> {
  let next = 0;
  const times: number[] = [];
  const lane = async (): Promise<void> => {
    while (next < requests) {
      const index = next++;
      const began = performance.now();
      const response = await fetch(urls[index % urls.length]!, { redirect: 'manual', ...request(index) });
      if (response.status >= 400) throw new Error(`HTTP ${response.status}`);
      await response.arrayBuffer();
      times.push(performance.now() - began);
    }
  };
  const took = await seconds(() => Promise.all(Array.from({ length: connections }, lane)));
  return { rate: requests / took, within: (ms) => times.filter((time) => time <= ms).length / times.length };
}
