import { Refusal, refusalCode } from '../client/send.ts';
import { PROBLEMS, type ProblemCode } from '../shared/problems.ts';
import { note } from './output.ts';
import { serviceAddress } from './sign-in-file.ts';
import { UsageError } from './usage-error.ts';

/** Says what went wrong on standard error, and the exit code that goes with it. */
export function reportError(error: unknown): number {
  if (error instanceof UsageError) return say(error.message, error.exit);
  if (error instanceof Refusal) {
    const { problem } = error;
    const code = refusalCode(problem) as ProblemCode;
    return say(`${problem.title}: ${problem.detail}\n${problem.next}`, PROBLEMS[code]?.exit ?? 1);
  }
  if (error instanceof TypeError && error.message === 'fetch failed') {
    return say(
      wasReached(error.cause)
        ? `The connection to the service at ${serviceAddress()} ended before it answered. What you asked for may be done, or still under way: look before you ask again, with \`avendel runs list\` where it was to change contacts.`
        : `The service does not answer at ${serviceAddress()}. Start it with \`npm start\`, or set AVENDEL_SERVICE to where it is.`,
      1,
    );
  }
  return say(error instanceof Error ? error.message : String(error), 1);
}

/**
 * Codes of a connection that was there and ended: reset, closed by the other side, or without an answer for five
 * minutes.
 */
const ENDED = ['ECONNRESET', 'EPIPE', 'UND_ERR_SOCKET', 'UND_ERR_HEADERS_TIMEOUT'];

function wasReached(cause: unknown): boolean {
  return ENDED.includes(String((cause as { code?: unknown } | undefined)?.code));
}

function say(message: string, exit: number): number {
  note(message);
  return exit;
}
