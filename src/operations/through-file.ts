import { mkdtemp, open, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { StringDecoder } from 'node:string_decoder';

/** What the giver fails with when nobody takes the rest. */
class NobodyTakes extends Error {}

const READ_AT_ONCE = 256 * 1024;

/**
 * A stream of texts that are made as fast as they can be, however slowly they are taken: what has not been taken yet
 * waits in a file without a name, which is gone with its stream. So work within a transaction ends at its own pace, and
 * no reader holds a connection of the database. When the taker leaves early, the giver's next text fails, and its
 * transaction is rolled back.
 * @param within the folder for the file, the machine's own for temporary files unless told otherwise
 * @throws what the work fails with
 */
export async function* throughFile(
  work: (give: (text: string) => Promise<void>) => Promise<void>,
  within: string = tmpdir(),
): AsyncGenerator<string> {
  const folder = await mkdtemp(join(within, 'avendel-'));
  const file = await open(join(folder, 'given'), 'wx+', 0o600);
  await rm(folder, { recursive: true });
  let wake: () => void = () => undefined;
  let written = 0;
  let [left, ended] = [false, false];
  let failure: unknown;
  const give = async (text: string): Promise<void> => {
    if (left) throw new NobodyTakes();
    written += (await file.write(Buffer.from(text), 0, undefined, written)).bytesWritten;
    wake();
  };
  const working = work(give)
    .catch((error: unknown) => {
      if (!(error instanceof NobodyTakes)) failure = error;
    })
    .finally(() => {
      ended = true;
      wake();
    });
  // A piece can end in the middle of a character.
  const decoder = new StringDecoder('utf8');
  const buffer = Buffer.alloc(READ_AT_ONCE);
  try {
    for (let read = 0; ;) {
      if (read < written) {
        const { bytesRead } = await file.read(buffer, 0, Math.min(READ_AT_ONCE, written - read), read);
        read += bytesRead;
        yield decoder.write(buffer.subarray(0, bytesRead));
      } else if (ended) break;
      else await new Promise<void>((resolve) => (wake = resolve));
    }
  } finally {
    left = true;
    await working;
    await file.close();
  }
  if (failure) throw failure as Error;
}
