import { readFileSync } from 'node:fs';
import { createInterface } from 'node:readline/promises';
import { Writable } from 'node:stream';
import { UsageError } from './usage-error.ts';

/**
 * A password: from a file, else from the environment, else asked for, without showing what is typed.
 * @throws UsageError when there is none and nobody to ask
 */
export async function findPassword(file: string | undefined, variable: string, prompt: string): Promise<string> {
  if (file !== undefined) return readFileSync(file, 'utf8').trim();
  const given = process.env[variable];
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
