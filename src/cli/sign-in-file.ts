import { chmodSync, existsSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { homedir } from 'node:os';
import { dirname, join } from 'node:path';
import { makeClient, type Client } from '../client/client.ts';
import { UsageError } from './usage-error.ts';

interface SignInFile {
  service: string;
  token: string;
}

const STANDARD_SERVICE = 'http://127.0.0.1:7400';

/** Where the demo keeps its sign-in while it runs, in its own folder. */
const OF_THE_DEMO = join('.avendel', 'sign-in.json');

function filePath(): string {
  const named = process.env['AVENDEL_SIGN_IN_FILE'];
  if (named !== undefined) return named;
  if (existsSync(OF_THE_DEMO)) return OF_THE_DEMO;
  return join(process.env['XDG_CONFIG_HOME'] ?? join(homedir(), '.config'), 'avendel', 'sign-in.json');
}

/** Address of the service: from the environment, the sign-in file, or the standard one. */
export function serviceAddress(): string {
  return process.env['AVENDEL_SERVICE'] ?? readFile()?.service ?? STANDARD_SERVICE;
}

/**
 * A client for the service, with the token of the environment or of the sign-in file.
 * @throws UsageError when there is neither
 */
export function connect(): Client {
  const token = process.env['AVENDEL_TOKEN'] ?? readFile()?.token;
  if (!token) throw new UsageError('Nobody is signed in. Run `avendel sign-in`, or set AVENDEL_TOKEN.', 1);
  return makeClient({ base: serviceAddress(), token });
}

/** Keeps the token where only this user can read it. Returns where. */
export function keepSignIn(kept: SignInFile): string {
  const path = filePath();
  mkdirSync(dirname(path), { recursive: true });
  writeFileSync(path, `${JSON.stringify(kept, null, 2)}\n`, { mode: 0o600 });
  chmodSync(path, 0o600);
  return path;
}

function readFile(): SignInFile | undefined {
  const path = filePath();
  if (!existsSync(path)) return undefined;
  try {
    return JSON.parse(readFileSync(path, 'utf8')) as SignInFile;
  } catch {
    throw new UsageError(`${path} is not a sign-in file. Remove it and run \`avendel sign-in\`.`, 1);
  }
}
