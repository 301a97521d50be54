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
  /** Further lines of its main.cf. */
  more?: string[];
}

export interface Postfix {
  stop(): Promise<void>;
  /** Ends it with what it has in its queue. */
  halt(): Promise<void>;
  /** Goes on with that. */
  resume(): Promise<void>;
}

/** Debian's mail server on loopback, on a queue of its own. It needs root, or sudo. */
export async function startPostfix({
  port,
  receiver,
  returns,
  returnDomains,
  more = [],
}: PostfixOptions): Promise<Postfix> {
  const home = mkdtempSync(join(tmpdir(), 'avendel-mta-'));
  await run(more, 'start', home, String(port), String(receiver), String(returns), ...returnDomains);
  await until(async () => {
    if (await answers(port)) return true;
    throw new Error(`the mail server does not answer: ${readFileSync(join(home, 'log'), 'utf8').slice(-2000)}`);
  });
  return {
    stop: () => run([], 'stop', home),
    halt: () => run([], 'halt', home),
    async resume() {
      await run([], 'resume', home);
      await until(() => answers(port));
    },
  };
}

function run(more: string[], ...words: string[]): Promise<void> {
  return new Promise((resolve, reject) => {
    spawn('bash', ['scripts/postfix.sh', ...words], {
      stdio: 'ignore',
      env: { ...process.env, POSTFIX_MORE: more.join('\n') },
    })
      .once('exit', () => resolve())
      .once('error', reject);
  });
}

/** What makes it take mail only of who signs in, over an encrypted line; Debian's dovecot answers for the password. */
export function asksForSignIn(files: { certificate: string; key: string }, dovecotAuth: number): string[] {
  return [
    `smtpd_tls_cert_file = ${files.certificate}`,
    `smtpd_tls_key_file = ${files.key}`,
    'smtpd_tls_security_level = encrypt',
    'smtpd_tls_auth_only = yes',
    'smtpd_sasl_auth_enable = yes',
    'smtpd_sasl_type = dovecot',
    `smtpd_sasl_path = inet:127.0.0.1:${dovecotAuth}`,
    'smtpd_relay_restrictions = permit_sasl_authenticated, reject',
  ];
}
