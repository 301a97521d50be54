import { readFileSync } from 'node:fs';
import { createInterface } from 'node:readline/promises';
import { Writable } from 'node:stream';
import { UsageError } from './usage-error.ts';

/** A password from a file, else from the environment; nothing where it is in neither. */
export function givenPassword(file: string | undefined, variable: string): string | undefined {
  return file === undefined ? process.env[variable] : readFileSync(file, 'utf8').trim();
}

/**
 * A password: from a file, else from the environment, else asked for, without showing what is typed.
 * @throws UsageError when there is none and nobody to ask
 */
export async function findPassword(file: string | undefined, variable: string, prompt: string): Promise<string> {
  const given = givenPassword(file, variable);
  if (given !== undefined) return given;
  if (!process.stdin.isTTY) throw new UsageError(`Give the password in a file, or in ${variable}.`);
  process.stderr.write(prompt);
  const unseen = new Writable({ write: (_chunk, _encoding, done) => done() });
  const asking = createInterface({ input: process.stdin, output: unseen, terminal: true });
  try {
    return await asking.question('');
  } finally {
    asking.close();
    process.stderr.write('\n');
  }
}
