import { execFile } from 'node:child_process';
import { promisify } from 'node:util';
import type { Running } from './service.ts';

const run = promisify(execFile);

export interface Said {
  code: number;
  stdout: string;
  stderr: string;
}

/** The command line as a person would use it, against this service; `more` goes into its environment. */
export function makeAvendel(service: Running, more: NodeJS.ProcessEnv = {}): (...args: string[]) => Promise<Said> {
  return (...args) =>
    run(process.execPath, ['bin/avendel', ...args], {
      env: { ...process.env, AVENDEL_SERVICE: service.console, AVENDEL_TOKEN: service.token, ...more },
    }).then(
      ({ stdout, stderr }) => ({ code: 0, stdout, stderr }),
      (error: Said) => error,
    );
}
