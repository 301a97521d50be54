import type { CheckedMessage, TypedMessage } from '../../shared/contract/messages.ts';
import { checkMessage, findUsedFields, type CheckedSender } from '../../core/message/check-message.ts';
import { writeMessage } from '../../core/message/compile-message.ts';
import { overWholeSet } from '../../store/database.ts';
import { keepMatching } from '../../store/statements/conditions.ts';
import { countLackingFields } from '../../store/statements/message-fields.ts';
import { knownFields } from '../campaigns/edit-campaign.ts';
import type { Deps } from '../deps.ts';
import { lookAtDkimKeys } from '../relay/dkim.ts';
import { lookAtDns } from '../relay/dns-records.ts';
import { remember } from '../remember.ts';
import { checkSegments, together, type CheckedCondition } from '../segments/condition-context.ts';
import { findReader, readTyped } from './typed-message.ts';

/** Whoever writes is told of the same readers for so long: they do not change from one letter to the next. */
const COUNTED_FOR_MS = 30_000;

/**
 * Checks a message as it is written: what stops it, what is worth a look, and for how many of whom it is for its merge
 * fields are empty. Who of them is held back is for the preflight to say.
 * @throws Problem not-found, bad-condition when a segment can no longer be worked out
 */
export async function checkTyped(deps: Deps, typed: TypedMessage): Promise<CheckedMessage> {
  const known = await knownFields(deps);
  const { read, compiled, sender } = await readTyped(deps, typed);
  const stranger = { campaignId: 0, ...(await findReader(deps, undefined)) };
  const { html } = writeMessage(compiled, stranger, sender, deps.tokens);
  const fields = [...findUsedFields(typed).keys()].filter((field) => known.has(field)).sort();
  const { listIds, leftOutListIds, segmentIds, leftOutSegmentIds } = typed;
  const of = [typed.brandId, listIds, leftOutListIds, segmentIds, leftOutSegmentIds, fields];
  const { readers, lacking } = await remember(deps, `lacking ${JSON.stringify(of)}`, COUNTED_FOR_MS, () =>
    countLacking(deps, typed, fields),
  );
  const against = {
    known,
    purpose: typed.purpose,
    statement: typed.statement,
    htmlBytes: html === null ? 0 : Buffer.byteLength(html),
    lacking: new Map(fields.map((field, index) => [field, lacking[index]!])),
    sender: await lookAtSender(deps, typed.brandId, sender.fromAddress),
  };
  return { readers, findings: checkMessage(typed, against, read), fields: [...known].sort() };
}

async function lookAtSender(deps: Deps, brandId: number, fromAddress: string): Promise<CheckedSender> {
  const keys = (await lookAtDkimKeys(deps, brandId)).filter(({ signs }) => signs);
  const records = (await lookAtDns(deps, brandId)).flatMap(({ name, what, signs, agrees }) =>
    what === 'MX' || signs === false ? [] : [{ name, what, agrees }],
  );
  return { fromAddress, keys, records };
}

async function countLacking(
  deps: Deps,
  { brandId, listIds, leftOutListIds, segmentIds, leftOutSegmentIds }: TypedMessage,
  fields: string[],
): Promise<{ readers: number; lacking: number[] }> {
  const takenIn = await checkSegments(deps, brandId, segmentIds);
  const leftOut = await checkSegments(deps, brandId, leftOutSegmentIds);
  return overWholeSet(deps.database, async (sql) => {
    const keep = async (table: 'taken_in' | 'matching', checked: CheckedCondition[]): Promise<void> => {
      if (checked.length === 0) return;
      const conditions = checked.map(({ condition }) => condition);
      await keepMatching(sql, table, conditions, checked.map(({ context }) => context).reduce(together));
    };
    await keep('taken_in', takenIn);
    await keep('matching', leftOut);
    const bySegments = { takenIn: takenIn.length > 0, leftOut: leftOut.length > 0 };
    return countLackingFields(sql, { listIds, leftOutListIds, bySegments }, fields);
  });
}
