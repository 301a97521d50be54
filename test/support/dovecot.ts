import { spawn, type ChildProcess } from 'node:child_process';
import { chmodSync, chownSync, mkdirSync, mkdtempSync, readdirSync, renameSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir, userInfo } from 'node:os';
import { join } from 'node:path';
import { freePort, until } from './service.ts';
import { answers } from './answers.ts';

/** Debian's account and group for nobody: mail is not touched as root. */
const NOBODY = { uid: 65534, gid: 65534 };

export interface Dovecot {
  port: number;
  /** Where mail servers ask whether a password is right. */
  authPort: number;
  account: string;
  password: string;
  /** Puts a message into the inbox, as a delivery would. */
  deliver(message: string): void;
  /** How many messages a folder holds. */
  count(folder?: string): number;
  /** Ends the server, and starts it again on the same mail. */
  restart(): Promise<void>;
  /** The same, with all messages under other numbers and another UIDVALIDITY, as when a mailbox is restored. */
  renumber(): Promise<void>;
  stop(): Promise<void>;
}

/** Debian's IMAP server on loopback, with a mailbox of its own, run as whoever runs the tests. */
export async function startDovecot(): Promise<Dovecot> {
  const home = mkdtempSync(join(tmpdir(), 'avendel-imap-'));
  const me = userInfo();
  const owner = me.uid === 0 ? NOBODY : me;
  const mail = join(home, 'mail');
  for (const folder of [mail, ...['', 'new', 'cur', 'tmp'].map((part) => join(mail, 'box', part))]) {
    mkdirSync(folder, { recursive: true });
    chownSync(folder, owner.uid, owner.gid);
  }
  chmodSync(home, 0o755);
  const as =
    me.uid === 0
      ? ''
      : `default_internal_user = ${me.username}\ndefault_internal_group = ${String(me.gid)}\ndefault_login_user = ${me.username}\n`;
  const configure = ({ port, authPort }: Record<'port' | 'authPort', number>): void =>
    writeFileSync(
      join(home, 'dovecot.conf'),
      `${as}
protocols = imap
listen = 127.0.0.1
base_dir = ${home}/run
state_dir = ${home}/state
log_path = ${home}/log
ssl = no
disable_plaintext_auth = no
mail_location = maildir:${mail}/%u
first_valid_uid = 1
passdb {
  driver = static
  args = password=planisphere
}
userdb {
  driver = static
  args = uid=${owner.uid} gid=${owner.gid} home=${mail}/%u
}
service imap-login {
  chroot =
  inet_listener imap {
    port = ${port}
  }
  inet_listener imaps {
    port = 0
  }
}
service auth {
  inet_listener {
    address = 127.0.0.1
    port = ${authPort}
  }
}
service anvil {
  chroot =
}
`,
    );
  let child: ChildProcess;
  let ports = { port: 0, authPort: 0 };
  /** Whether it answers; not where it ended, as it does where somebody else has one of its ports by now. */
  const starts = async (): Promise<boolean> => {
    let ended = false;
    child = spawn('/usr/sbin/dovecot', ['-F', '-c', join(home, 'dovecot.conf')], { stdio: 'ignore' });
    child.once('exit', () => (ended = true));
    await until(async () => ended || (await answers(ports.port)));
    return !ended;
  };
  const start = async (): Promise<void> => {
    if (!(await starts())) throw new Error('dovecot did not start');
  };
  const end = (): Promise<void> =>
    new Promise((resolve) => (child.once('exit', () => resolve()), child.kill('SIGTERM')));
  for (let tries = 0; ; tries++) {
    ports = { port: await freePort(), authPort: await freePort() };
    configure(ports);
    if (await starts()) break;
    if (tries === 5) throw new Error('dovecot did not start');
  }
  let delivered = 0;
  return {
    ...ports,
    account: 'box',
    password: 'planisphere',
    deliver(message) {
      const name = `${Date.now()}.${++delivered}.test`;
      writeFileSync(join(mail, 'box', 'tmp', name), message);
      chownSync(join(mail, 'box', 'tmp', name), owner.uid, owner.gid);
      // A Maildir is delivered into by renaming; writing it there outright would show half a message.
      renameSync(join(mail, 'box', 'tmp', name), join(mail, 'box', 'new', name));
    },
    count: (folder) =>
      ['new', 'cur'].flatMap((part) => readdirSync(join(mail, 'box', folder ? `.${folder}` : '', part))).length,
    restart: async () => {
      await end();
      await start();
    },
    renumber: async () => {
      await end();
      for (const name of readdirSync(join(mail, 'box')))
        if (name.startsWith('dovecot')) rmSync(join(mail, 'box', name));
      await start();
    },
    stop: async () => {
      await end();
      rmSync(home, { recursive: true, force: true });
    },
  };
}
