import {
  countReturnsByKind,
  dismissReturn,
  findReturn,
  listReturns,
  type ReturnRow,
  type ReturnState,
} from '../../store/statements/returns.ts';
import type { Deps } from '../deps.ts';
import { found, Problem } from '../problem.ts';

/** So much of a message is shown, in bytes. */
const SHOWN_BYTES = 100_000;

/** Returns in one state, or in any, numbered below `before`; latest first. */
export function listLatestReturns(
  deps: Deps,
  state: ReturnState | undefined,
  before: number,
  limit: number,
): Promise<ReturnRow[]> {
  return listReturns(deps.database, state ?? null, before, limit);
}

/** How many came back in the last days, by what they were. */
export function countLatestReturns(deps: Deps, days: number): ReturnType<typeof countReturnsByKind> {
  return countReturnsByKind(deps.database, new Date(deps.now().getTime() - days * 86_400_000));
}

/** A return with the beginning of its message, as far as that is kept. @throws Problem not-found */
export async function getReturn(deps: Deps, id: number): Promise<ReturnRow & { message: string | null }> {
  const { raw, ...row } = found(await findReturn(deps.database, id), `return ${id}`);
  return { ...row, message: raw?.subarray(0, SHOWN_BYTES).toString('utf8') ?? null };
}

/** A person has looked at a return, and nothing is to be done. @throws Problem wrong-state */
export async function dismiss(deps: Deps, id: number): Promise<void> {
  if (!(await dismissReturn(deps.database, id)))
    throw new Problem('wrong-state', `Return ${id} is neither unmatched nor held, nor does it ask for anything.`);
}
