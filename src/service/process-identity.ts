import { randomUUID } from 'node:crypto';
import type { PoolClient } from 'pg';
import type { Logger } from 'pino';
import type { Database } from '../store/database.ts';
import { registerProcess } from '../store/statements/processes.ts';

const TRY_AGAIN_MS = 1000;

/** The number under which this process claims work; nothing while it is not registered as living. */
export type ProcessId = () => string | undefined;

/**
 * Registers this process as living, by a lock on a connection of its own. When that connection ends (the server
 * restarts, or the line breaks), the others take the process for dead and settle what it had claimed: so it goes on
 * under another number, and claims nothing until it has one.
 */
export async function makeProcessIdentity(
  database: Database,
  log: Logger,
): Promise<{ id: ProcessId; release(): Promise<void> }> {
  let held: { id: string; release(): Promise<void> } | undefined;
  let released = false;
  const register = async (): Promise<void> => {
    const runner = database.createQueryRunner();
    const id = randomUUID();
    try {
      const client = (await runner.connect()) as PoolClient;
      client.once('end', () => void (held?.id === id && !released && registerAgain()));
      await registerProcess(runner, id);
    } catch (error) {
      await runner.release().catch(() => undefined);
      throw error;
    }
    held = { id, release: () => runner.release() };
  };
  const registerAgain = async (): Promise<void> => {
    held = undefined;
    log.warn('the connection that shows this process to live has ended: it registers anew');
    while (!held && !released) {
      await register().catch((error: Error) => log.warn({ err: error }, 'this process cannot register yet'));
      if (!held) await new Promise((resolve) => setTimeout(resolve, TRY_AGAIN_MS));
    }
  };
  await register();
  return {
    id: () => held?.id,
    async release() {
      released = true;
      await held?.release();
    },
  };
}
