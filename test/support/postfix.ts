import { spawn } from 'node:child_process';
import { mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir, userInfo } from 'node:os';
import { join } from 'node:path';
import { until } from './service.ts';
import { answers } from './answers.ts';

export interface PostfixOptions {
  /** Where Avendel hands messages to. */
  port: number;
  /** The receiving servers of all domains. */
  receiver: number;
  /** Where mail to the return domain goes: Avendel's intake. */
  returns: number;
  returnDomain: string;
}

/** Debian's mail server on loopback, on a queue of its own. It needs root, or sudo. */
export async function startPostfix(options: PostfixOptions): Promise<{ stop(): Promise<void> }> {
  const home = mkdtempSync(join(tmpdir(), 'avendel-mta-'));
  const config = join(home, 'config');
  mkdirSync(config);
  for (const folder of ['spool', 'data']) mkdirSync(join(home, folder));
  writeFileSync(join(config, 'main.cf'), mainConfig(home, options));
  writeFileSync(join(config, 'master.cf'), masterConfig(options.port));
  const asRoot = userInfo().uid === 0 ? [] : ['sudo'];
  await run([...asRoot, 'chmod', '755', home]);
  await run([...asRoot, 'chown', 'postfix', join(home, 'data')]);
  const postfix = (act: string): Promise<void> => run([...asRoot, '/usr/sbin/postfix', '-c', config, act]);
  await postfix('start');
  await until(async () => {
    if (await answers(options.port)) return true;
    throw new Error(`the mail server does not answer: ${readFileSync(join(home, 'log'), 'utf8').slice(-2000)}`);
  });
  return {
    async stop() {
      await postfix('stop');
      await run([...asRoot, 'rm', '-rf', home]);
      rmSync(home, { recursive: true, force: true });
    },
  };
}

function mainConfig(home: string, { receiver, returns, returnDomain }: PostfixOptions): string {
  return `compatibility_level = 3.6
queue_directory = ${home}/spool
data_directory = ${home}/data
maillog_file = ${home}/log
maillog_file_prefixes = ${home}
myhostname = relay.larkfield.example
mydestination =
mynetworks = 127.0.0.0/8
inet_interfaces = 127.0.0.1
inet_protocols = ipv4
smtp_dns_support_level = disabled
relayhost = [127.0.0.1]:${receiver}
transport_maps = inline:{ ${returnDomain}=smtp:[127.0.0.1]:${returns} }
alias_maps =
alias_database =
notify_classes =
smtputf8_enable = no
`;
}

/** Debian's own, without chroot, and with the listener on our port. */
function masterConfig(port: number): string {
  const lines = readFileSync('/usr/share/postfix/master.cf.dist', 'utf8').split('\n');
  return lines
    .map((line) => {
      if (/^smtp\s+inet\s/.test(line)) return `127.0.0.1:${port} inet n - n - - smtpd`;
      return line.replace(/^(\S+\s+(?:inet|unix|fifo|pass)\s+\S+\s+\S+\s+)y/, '$1n');
    })
    .join('\n');
}

function run([command = '', ...rest]: string[]): Promise<void> {
  return new Promise((resolve, reject) => {
    spawn(command, rest, { stdio: 'ignore' }).once('exit', () => resolve()).once('error', reject); // prettier-ignore
  });
}
