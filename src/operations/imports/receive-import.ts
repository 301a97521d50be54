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
  const list = found(
    await deps.database.getRepository(ListEntity).findOneBy({ id: request.listId }),
    `list ${request.listId}`,
  );
  const parts = inParts(bytes);
  const first = await parts.next();
  if (first.done) throw new Problem('bad-file', `${request.fileName} is empty.`);
  const options = await readHead(deps, request, Buffer.concat(first.value.pieces));
  if (Object.values(options.mapping).includes('list')) options.lists = await listsOf(deps, list.brandId);
  const id = await insertImport(deps.database, { ...request, options });
  const lanes = makeLanes(LANES);
  let size = 0;
  try {
    let seq = 0;
    for (let part: IteratorResult<Part> = first; !part.done; part = await parts.next()) {
      const [number, { value }] = [seq++, part];
      size += value.size;
      if (size > MAX_IMPORT_BYTES)
        throw new Problem('too-large', `${request.fileName} is over ${MAX_IMPORT_BYTES / 1024 / 1024} MB.`);
      await lanes.run(() => appendImportPart(deps.database, id, number, value.pieces));
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

/** Part of a file, as it came in. */
interface Part {
  pieces: Uint8Array[];
  size: number;
}

async function* inParts(bytes: AsyncIterable<Uint8Array>): AsyncGenerator<Part> {
  let part: Part = { pieces: [], size: 0 };
  for await (const piece of bytes) {
    part.pieces.push(piece);
    part.size += piece.length;
    if (part.size < PART_BYTES) continue;
    yield part;
    part = { pieces: [], size: 0 };
  }
  if (part.size > 0) yield part;
}
