import type { EntityManager } from 'typeorm';
import { TAKEN_LETTERS } from '../../core/import/row-outcomes.ts';
import { findContactIds } from '../../store/statements/contacts.ts';
import type { ImportRow } from '../../store/statements/imports.ts';
import type { Deps } from '../deps.ts';
import { ensureMonths, recordEventsWithin } from '../events/record-events.ts';
import { leavingEvent } from '../consent/leave.ts';
import type { ChunkLeaving, RowChunk } from './read-row-chunks.ts';

/** The brand that a list is of. */
export type BrandOfList = (listId: number) => number;

/**
 * What a file says of people who leave, recorded as their own word, with the file and the cell as its proof: off the
 * list, or out of the brand's marketing. `prepare` comes before the transaction of the chunk, `record` within it; it
 * answers the contacts to be called back from sends. A row without a date counts from when the file was given.
 */
export function makeRecordLeavings(
  deps: Deps,
  row: ImportRow,
  brandOf: BrandOfList,
): {
  prepare(chunk: RowChunk): Promise<void>;
  record(sql: EntityManager, chunk: RowChunk, taken: string): Promise<number[]>;
} {
  const atOf = ({ at }: ChunkLeaving): number => (at === null ? row.createdAt : new Date(at)).getTime();
  return {
    prepare: ({ leavings }) =>
      ensureMonths(
        deps,
        leavings.map((leaving) => ({ at: atOf(leaving) })),
      ),
    async record(sql, { leavings }, taken) {
      const heard = leavings.filter(({ place }) => place === null || TAKEN_LETTERS.includes(taken[place]!));
      if (heard.length === 0) return [];
      const ids = await findContactIds(sql, [...new Set(heard.map(({ address }) => address))]);
      const events = heard.flatMap((leaving) => {
        const contactId = ids.get(leaving.address);
        const { everything, said, listId, rowNo } = leaving;
        if (contactId === undefined) return [];
        const way = `import of ${row.fileName}: ${said}`;
        return [
          leavingEvent(deps, {
            contactId,
            brandId: brandOf(listId),
            campaignId: null,
            lists: everything ? null : [listId],
            way,
            at: atOf(leaving),
            externalId: `import:${row.id}:${rowNo}`,
          }),
        ];
      });
      return (await recordEventsWithin(deps, sql, events)).affected;
    },
  };
}
