import type { Client } from '../client/client.ts';
import type { Run } from '../shared/contract/runs.ts';
import { count, note, printOne, type OutputOptions } from './output.ts';
import { makeProgress } from './progress.ts';

const LOOK_EVERY_MS = 200;

/** Waits for a run's end and draws its progress. It goes on by itself if this program is stopped. */
export async function followRun(client: Client, begun: Run): Promise<Run> {
  const progress = makeProgress();
  let run = begun;
  while (run.finishedAt === null) {
    progress.draw(`run ${run.id}`, run.done, run.whole);
    await new Promise((resolve) => setTimeout(resolve, LOOK_EVERY_MS));
    run = await client.run({ id: run.id }).catch((error: unknown) => {
      progress.end();
      note(
        `Run ${run.id} was under way, with ${count(run.done)} of ${count(run.whole)} dealt with. It goes on without you, also when the service is started again: avendel runs watch ${run.id}`,
      );
      throw error;
    });
  }
  progress.end();
  return run;
}

/** Follows a run to its end and prints what came of it: `lines` say it of one that dealt with everybody. */
export async function printRun(
  client: Client,
  begun: Run,
  options: OutputOptions,
  lines: (run: Run) => string[],
): Promise<void> {
  const run = await followRun(client, begun);
  printOne(run, options, lines);
  if (run.stopped === null) return;
  note(`Run ${run.id} ended early, with ${count(run.done)} of ${count(run.whole)} dealt with: ${run.stopped}.`);
  process.exitCode = 1;
}
