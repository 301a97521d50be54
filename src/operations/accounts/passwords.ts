import { randomBytes, scrypt, timingSafeEqual, type ScryptOptions } from 'node:crypto';
import { promisify } from 'node:util';
import { Semaphore } from 'async-mutex';
import { Problem } from '../problem.ts';

const derive = promisify(scrypt) as (
  password: string,
  salt: Buffer,
  length: number,
  options: ScryptOptions,
) => Promise<Buffer>;

interface Cost {
  /** Rounds, block size and parallelization of scrypt (RFC 7914); N times r times 128 bytes of memory. */
  N: number;
  r: number;
  p: number;
}

/** OWASP's choice of 2023: 128 MB, and some tenths of a second. */
const COST: Cost = { N: 2 ** 17, r: 8, p: 1 };
/** What passwords were hashed with before their cost was kept with them. */
const COST_BEFORE: Cost = { N: 2 ** 14, r: 8, p: 1 };
const HASH_BYTES = 32;

/**
 * Each takes its memory while it is worked out, so no more than this at once; who has to wait behind too many is told
 * to come again.
 */
const AT_ONCE = 2;
const MOST_WAITING = 20;
const turns = new Semaphore(AT_ONCE);
let waiting = 0;

/** One text for what looks the same, however the keyboard wrote it. */
function normal(password: string): string {
  return password.normalize('NFKC');
}

async function hash(password: string, salt: Buffer, { N, r, p }: Cost): Promise<Buffer> {
  if (waiting >= MOST_WAITING) throw new Problem('too-busy', `${waiting} others wait to be signed in.`);
  waiting++;
  try {
    return await turns.runExclusive(() => derive(password, salt, HASH_BYTES, { N, r, p, maxmem: 256 * N * r }));
  } finally {
    waiting--;
  }
}

/** scrypt with a salt of its own, as `scrypt:N:r:p:salt:hash`, the last two in hex. */
export async function hashPassword(password: string): Promise<string> {
  const salt = randomBytes(16);
  const hashed = await hash(normal(password), salt, COST);
  return ['scrypt', COST.N, COST.r, COST.p, salt.toString('hex'), hashed.toString('hex')].join(':');
}

/** What takes as long as a real one and matches nothing: for an address that nobody has. */
export const NO_PASSWORD = ['scrypt', COST.N, COST.r, COST.p, '00'.repeat(16), '00'.repeat(HASH_BYTES)].join(':');

/**
 * Whether a password is the one that is kept, and whether it should be hashed anew because the cost has changed.
 * @throws Problem too-busy
 */
export async function matchPassword(password: string, kept: string): Promise<{ matches: boolean; outdated: boolean }> {
  const parts = kept.split(':');
  const isBefore = parts.length === 2;
  const [salt = '', hashed = ''] = parts.slice(-2);
  const [N, r, p] = parts.slice(1, 4).map(Number);
  const cost = isBefore ? COST_BEFORE : { N: N!, r: r!, p: p! };
  // Before, a password was taken as its characters came.
  const given = await hash(isBefore ? password : normal(password), Buffer.from(salt, 'hex'), cost);
  const wanted = Buffer.from(hashed, 'hex');
  const outdated = cost.N !== COST.N || cost.r !== COST.r || cost.p !== COST.p;
  return { matches: wanted.length === given.length && timingSafeEqual(given, wanted), outdated };
}
