import { listKey } from '../../core/import/read-table.ts';
import { ListEntity } from '../../store/entities/organisation.ts';
import {
  appendImportPart,
  findImport,
  insertImport,
  updateImport,
  type ImportRow,
} from '../../store/statements/imports.ts';
import type { Deps } from '../deps.ts';
import { makeLanes } from '../lanes.ts';
import { found, Problem } from '../problem.ts';
import { readHead, type HeadRequest } from './read-file-head.ts';

export interface ImportRequest extends HeadRequest {
  listId: number;
  dryRun: boolean;
  actor: string;
}

const PART_BYTES = 1024 * 1024;
/** Parts being kept at once, while the next one comes in. */
const LANES = 2;
/** The largest file taken; two million rows of 100 bytes and room to spare. */
export const MAX_IMPORT_BYTES = 512 * 1024 * 1024;
/**
 * Takes a file in, durably, part by part as it arrives; answers once all of it is kept. What can be seen from its
 * beginning (no text, no address column) is refused here. The rows themselves are worked through by runImport.
 * @throws Problem bad-file, too-large, not-found
 */
export async function receiveImport(
  deps: Deps,
  request: ImportRequest,
  bytes: AsyncIterable<Uint8Array>,
): Promise<ImportRow> {
  const list = found(await deps.database.getRepository(ListEntity).findOneBy({ id: request.listId }), `list ${request.listId}`); // prettier-ignore
  const parts = inParts(bytes);
  const first = await parts.next();
  if (first.done) throw new Problem('bad-file', `${request.fileName} is empty.`);
  const options = await readHead(deps, request, first.value);
  if (Object.values(options.mapping).includes('list')) options.lists = await listsOf(deps, list.brandId);
  const id = await insertImport(deps.database, { ...request, options });
  const lanes = makeLanes(LANES);
  let size = 0;
  try {
    let seq = 0;
    for (let part: IteratorResult<Buffer> = first; !part.done; part = await parts.next()) {
      const [number, { value }] = [seq++, part];
      size += value.length;
      if (size > MAX_IMPORT_BYTES)
        throw new Problem('too-large', `${request.fileName} is over ${MAX_IMPORT_BYTES / 1024 / 1024} MB.`);
      await lanes.run(() => appendImportPart(deps.database, id, number, value));
    }
    await lanes.end();
  } catch (error) {
    await updateImport(deps.database, id, { state: 'failed', problem: { detail: 'The file did not arrive whole.' } });
    throw error;
  }
  await updateImport(deps.database, id, { state: 'waiting', bytes: size });
  deps.announce('import');
  return found(await findImport(deps.database, id), `import ${id}`);
}

/** The lists that the rows of a file may name. */
async function listsOf(deps: Deps, brandId: number): Promise<Record<string, number>> {
  const lists = await deps.database.getRepository(ListEntity).findBy({ brandId });
  return Object.fromEntries(lists.map(({ id, name }) => [listKey(name), id]));
}

async function* inParts(bytes: AsyncIterable<Uint8Array>): AsyncGenerator<Buffer> {
  let held: Uint8Array[] = [];
  let size = 0;
  for await (const chunk of bytes) {
    held.push(chunk);
    size += chunk.length;
    if (size < PART_BYTES) continue;
    yield Buffer.concat(held);
    held = [];
    size = 0;
  }
  if (size > 0) yield Buffer.concat(held);
}
