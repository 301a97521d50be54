import { expect } from '@jest/globals';
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

/** The command line as a test uses it: what it says where it goes well, and on what it ends where it does not. */
export function makeSaying(service: Running): {
  said: (...args: string[]) => Promise<string>;
  refused: (...args: string[]) => Promise<string>;
} {
  const avendel = makeAvendel(service);
  return {
    async said(...args) {
      const { code, stdout, stderr } = await avendel(...args);
      expect([args.join(' '), code, stderr]).toEqual([args.join(' '), 0, expect.any(String)]);
      return stdout;
    },
    async refused(...args) {
      const { code, stderr } = await avendel(...args);
      expect([args.join(' '), code]).not.toEqual([args.join(' '), 0]);
      return stderr;
    },
  };
}
