import { spawn } from 'node:child_process';
import { mkdtempSync, readFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { until } from './service.ts';
import { answers } from './answers.ts';

export interface PostfixOptions {
  /** Where Avendel hands messages to. */
  port: number;
  /** The receiving servers of all domains. */
  receiver: number;
  /** Where mail to the return domains goes: Avendel's intake. */
  returns: number;
  returnDomains: string[];
}

/** Debian's mail server on loopback, on a queue of its own. It needs root, or sudo. */
export async function startPostfix({
  port,
  receiver,
  returns,
  returnDomains,
}: PostfixOptions): Promise<{ stop(): Promise<void> }> {
  const home = mkdtempSync(join(tmpdir(), 'avendel-mta-'));
  await run('start', home, String(port), String(receiver), String(returns), ...returnDomains);
  await until(async () => {
    if (await answers(port)) return true;
    throw new Error(`the mail server does not answer: ${readFileSync(join(home, 'log'), 'utf8').slice(-2000)}`);
  });
  return { stop: () => run('stop', home) };
}

function run(...words: string[]): Promise<void> {
  return new Promise((resolve, reject) => {
    spawn('bash', ['scripts/postfix.sh', ...words], { stdio: 'ignore' })
      .once('exit', () => resolve())
      .once('error', reject);
  });
}
