import { createHash } from 'node:crypto';
import type { Context } from 'hono';
import type { SignedIn } from '../../operations/accounts/sign-in.ts';
import type { Deps } from '../../operations/deps.ts';
import { Problem } from '../../operations/problem.ts';
import { beginIdempotent, forgetKey, keepAnswer } from '../../store/statements/idempotency.ts';
import type { ProcessId } from '../process-identity.ts';
import type { Route } from './route.ts';
import { hashUpload, uploadOf } from './upload.ts';

/**
 * The key of a request that is to be done once; nothing where there is none.
 * @throws Problem invalid-input on routes of secrets
 */
export function idempotencyKeyOf(declared: Route, c: Context): string | undefined {
  if (declared.method !== 'post') return undefined;
  const key = c.req.header('idempotency-key');
  if (key === undefined) return undefined;
  if (declared.secret)
    throw new Problem(
      'invalid-input',
      'Nothing is kept of what is said here, so it takes no Idempotency-Key. Leave it out.',
      { field: 'Idempotency-Key' },
    );
  if (!/^[\x21-\x7e]{1,200}$/.test(key))
    throw new Problem('invalid-input', 'An Idempotency-Key has 1 to 200 letters, digits or signs, without blanks.', {
      field: 'Idempotency-Key',
    });
  return key;
}

/**
 * The same request under the same key is done once, and a repeat within a day gets the first one's answer. Of an upload
 * the file belongs to the request: it is digested as it passes. What failed, and what died with its process, may be
 * tried again.
 */
export async function doOnce(
  { deps, processId }: { deps: Deps; processId: ProcessId },
  who: SignedIn,
  key: string,
  request: { text: string; declared: Route; c: Context },
  run: () => Promise<unknown>,
): Promise<unknown> {
  const { text, declared, c } = request;
  const hash = createHash('sha256').update(`${c.req.method} ${c.req.url}\n${text}`).digest();
  const kept = await beginIdempotent(deps.database, who.accountId, key, hash, processId() ?? null);
  if (kept) {
    if (!kept.sameRequest) throw new Problem('key-reused', 'Another request was made under this key.');
    if (kept.status === null)
      throw new Problem('key-reused', 'The first request under this key is still being worked on.');
    if (kept.fileHash && !kept.fileHash.equals(await digestOf(c)))
      throw new Problem('key-reused', 'Another file was sent under this key.');
    return kept.body;
  }
  const file = declared.raw === undefined ? undefined : hashUpload(c);
  try {
    const result = await run();
    if (result instanceof Response) await forgetKey(deps.database, who.accountId, key);
    else
      await keepAnswer(deps.database, who.accountId, key, hash, {
        status: declared.status ?? 200,
        body: result ?? null,
        fileHash: file ? file() : null,
      });
    return result;
  } catch (error) {
    await forgetKey(deps.database, who.accountId, key);
    throw error;
  }
}

async function digestOf(c: Context): Promise<Buffer> {
  const hash = createHash('sha256');
  for await (const chunk of uploadOf(c)) hash.update(chunk);
  return hash.digest();
}
