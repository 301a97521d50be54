import { listLookAlikes, type LookAlike } from '../../core/address/look-alike.ts';
import { normalDomain, parseAddress } from '../../core/address/normal-form.ts';
import { inTransaction, overWholeSet } from '../../store/database.ts';
import { listDomainStandings } from '../../store/statements/domains.ts';
import { findRun, finishRun, insertRun, type RunRow } from '../../store/statements/journal.ts';
import {
  countMending,
  mendAddresses,
  type Mending,
  type MendingCounts,
  type MendingRow,
} from '../../store/statements/mend-addresses.ts';
import { callBackFromSends } from '../marks/call-back.ts';
import type { Deps } from '../deps.ts';
import { found, Problem } from '../problem.ts';
import { forgetStandings } from './domain-facts.ts';

export interface MendRequest {
  /** A domain, or an address. */
  from: string;
  to: string;
}

export interface MendPreview extends MendingCounts {
  from: string;
  to: string;
  sample: MendingRow[];
}

/** Domains of contacts that are probably a slip of another, with the evidence; those with most contacts first. */
export async function findLookAlikes(deps: Deps): Promise<LookAlike[]> {
  return listLookAlikes(await overWholeSet(deps.database, listDomainStandings));
}

/** What mending would change. Nothing is written. @throws Problem invalid-input */
export async function previewMending(deps: Deps, request: MendRequest): Promise<MendPreview> {
  const mending = readMending(request);
  const counts = await countMending(deps.database, mending);
  return 'from' in mending ? { ...mending, ...counts } : { from: mending.fromDomain, to: mending.toDomain, ...counts };
}

/** Mends, as one run that can be undone. @throws Problem count-moved, invalid-input */
export async function mend(
  deps: Deps,
  request: MendRequest & { expect: number; reason: string; actor: string },
): Promise<RunRow> {
  const mending = readMending(request);
  const run = await inTransaction(deps.database, async (sql) => {
    const { expect, reason, actor } = request;
    const runId = await insertRun(sql, { kind: 'mend', brandId: null, actor, reason });
    const counts = await mendAddresses(sql, mending, reason, { actorKind: 'person', actor, runId });
    const now = counts.mended + counts.merged;
    if (now !== expect)
      throw new Problem('count-moved', `${expect} were expected to be mended; now it is ${now}.`, {
        extra: { expected: expect, now },
      });
    await finishRun(sql, runId, { ...counts });
    return found(await findRun(sql, runId), `run ${runId}`);
  });
  forgetStandings(deps);
  await callBackFromSends(deps, 'all');
  return run;
}

function readMending({ from, to }: MendRequest): Mending {
  if (!from.includes('@') && !to.includes('@')) {
    const [fromDomain, toDomain] = [normalDomain(from), normalDomain(to)];
    if (fromDomain === undefined) throw notOne(from, 'from', 'domain');
    if (toDomain === undefined) throw notOne(to, 'to', 'domain');
    return differing({ fromDomain, toDomain }, fromDomain, toDomain);
  }
  const [old, mended] = [parseAddress(from), parseAddress(to)];
  if (!old.ok) throw notOne(from, 'from', 'address');
  if (!mended.ok) throw notOne(to, 'to', 'address');
  return differing({ from: old.address, to: mended.address }, old.address, mended.address);
}

function differing(mending: Mending, from: string, to: string): Mending {
  if (from === to) throw new Problem('invalid-input', `${from} is what it is already.`, { field: 'to' });
  return mending;
}

function notOne(text: string, field: string, what: 'domain' | 'address'): Problem {
  return new Problem('invalid-input', `“${text.slice(0, 200)}” is no ${what}. Give two domains or two addresses.`, {
    field,
  });
}
