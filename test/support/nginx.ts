import { spawn, type ChildProcess } from 'node:child_process';
import { mkdirSync, readFileSync, symlinkSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { answers, listens } from './answers.ts';
import { until } from './service.ts';

/** Where nginx listens in a test, in place of 443, 443 by another name, 80 and 25. */
export interface Doors {
  console: number;
  public: number;
  plain: number;
  intake: number;
}

export interface Nginx {
  /** `deploy/switch`: everything is passed to one of the two from now on. */
  switchTo(which: 'a' | 'b'): Promise<void>;
  stop(): Promise<void>;
}

/**
 * Debian's nginx in front of the two processes, with the files of `deploy/nginx/` and nothing else: their ports are
 * replaced by those of the test, names by `localhost`, and the certificate by one of the folder.
 */
export async function startNginx(
  folder: string,
  deploy: string,
  doors: Doors,
  ports: Record<string, number>,
): Promise<Nginx> {
  mkdirSync(folder, { recursive: true });
  const moved = (text: string): string =>
    Object.entries(ports)
      .reduce((so, [port, mine]) => so.replaceAll(`127.0.0.1:${port}`, `127.0.0.1:${mine}`), text)
      .replaceAll('/etc/nginx/avendel', folder)
      .replace(/\/etc\/letsencrypt\/live\/larkfield\.example/g, folder)
      .replace(/server_name avendel\.larkfield\.example;/, 'server_name console.localhost localhost;')
      .replace(/listen 443 ssl;/, `listen 127.0.0.1:${doors.console} ssl;`)
      .replace(/listen 443 ssl;/, `listen 127.0.0.1:${doors.public} ssl;`)
      .replace(/listen 80;/, `listen 127.0.0.1:${doors.plain};`)
      .replace(/listen 25;/, `listen 127.0.0.1:${doors.intake};`)
      .replace(/server_name mail\.larkfield\.example;/, 'server_name localhost;');
  for (const name of ['http-a', 'http-b', 'stream-a', 'stream-b', 'site', 'stream'])
    writeFileSync(
      join(folder, name === 'stream' ? 'stream-block.conf' : `${name}.conf`),
      moved(readFileSync(join(deploy, 'nginx', `${name}.conf`), 'utf8')),
    );
  for (const kind of ['http', 'stream']) symlinkSync(`${kind}-a.conf`, join(folder, `${kind}.conf`));
  writeFileSync(
    join(folder, 'nginx.conf'),
    [
      'load_module /usr/lib/nginx/modules/ngx_stream_module.so;',
      `pid ${folder}/nginx.pid;`,
      `error_log ${folder}/error.log;`,
      'daemon off;',
      'worker_processes 1;',
      'events { }',
      `http { access_log off; ${['client_body', 'proxy', 'fastcgi', 'uwsgi', 'scgi']
        .map((kind) => `${kind}_temp_path ${folder}/${kind};`)
        .join(' ')} include ${folder}/site.conf; }`,
      `include ${folder}/stream-block.conf;`,
    ].join('\n'),
  );
  const nginx = ['/usr/sbin/nginx', '-p', folder, '-c', join(folder, 'nginx.conf'), '-e', join(folder, 'error.log')];
  const change = moved(readFileSync(join(deploy, 'switch'), 'utf8'))
    .replaceAll('/run/nginx.pid', join(folder, 'nginx.pid'))
    .replace(/^nginx /gm, `${nginx.join(' ')} `);
  const child = spawn(nginx[0]!, nginx.slice(1), { stdio: 'inherit' });
  await until(async () => (await listens(doors.console)) && (await answers(doors.intake)));
  return {
    switchTo: (which) => done(spawn('sh', ['-c', change, 'switch', which], { stdio: 'inherit' })),
    async stop() {
      child.kill('SIGTERM');
      await done(child);
    },
  };
}

const done = (child: ChildProcess): Promise<void> =>
  new Promise((resolve, reject) => {
    if (child.exitCode !== null) return resolve();
    child.once('error', reject);
    child.once('exit', (code) => (code ? reject(new Error(`It ended with ${code}.`)) : resolve()));
  });
