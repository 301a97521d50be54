import { guessDelimiter, guessEncoding, guessMapping } from '../../core/import/read-table.ts';
import { ListEntity } from '../../store/entities/organisation.ts';
import {
  appendImportPart,
  findImport,
  findKeptMapping,
  keepMapping,
  insertImport,
  updateImport,
  type ImportRow,
} from '../../store/statements/imports.ts';
import type { Deps } from '../deps.ts';
import { found, Problem } from '../problem.ts';

export interface ImportRequest {
  listId: number;
  fileName: string;
  mapping?: Record<string, string | null>;
  delimiter?: string;
  dryRun: boolean;
  actor: string;
}

const PART_BYTES = 1024 * 1024;
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
  found(await deps.database.getRepository(ListEntity).findOneBy({ id: request.listId }), `list ${request.listId}`);
  const parts = inParts(bytes);
  const first = await parts.next();
  if (first.done) throw new Problem('bad-file', `${request.fileName} is empty.`);
  const options = await readHead(deps, first.value, request);
  const id = await insertImport(deps.database, { ...request, options });
  let size = 0;
  try {
    let seq = 0;
    for (let part: IteratorResult<Buffer> = first; !part.done; part = await parts.next()) {
      size += part.value.length;
      if (size > MAX_IMPORT_BYTES)
        throw new Problem('too-large', `${request.fileName} is over ${MAX_IMPORT_BYTES / 1024 / 1024} MB.`);
      await appendImportPart(deps.database, id, seq++, part.value);
    }
  } catch (error) {
    await updateImport(deps.database, id, { state: 'failed', problem: { detail: 'The file did not arrive whole.' } });
    throw error;
  }
  await updateImport(deps.database, id, { state: 'waiting', bytes: size });
  deps.announce('import');
  return found(await findImport(deps.database, id), `import ${id}`);
}

/** What can be seen from the beginning: is it text, what parts the columns, what each of them is. A mapping that is given is kept for later files with this header. */
async function readHead(deps: Deps, head: Buffer, request: ImportRequest): Promise<ImportRow['options']> {
  const { fileName } = request;
  const encoding = guessEncoding(head);
  if (!encoding)
    throw new Problem('bad-file', `${fileName} is not a text file. Save the table as CSV and import that.`);
  const text = new TextDecoder(encoding).decode(head.subarray(0, 64 * 1024));
  const firstLine = text.split(/\r?\n/).find((line) => line.trim() !== '') ?? '';
  const delimiter = request.delimiter ?? guessDelimiter(firstLine);
  const headers = splitHeader(firstLine, delimiter);
  const kept = await findKeptMapping(deps.database, headers);
  const mapping = { ...guessMapping(headers), ...kept, ...request.mapping };
  const unknown = Object.keys(request.mapping ?? {}).filter((header) => !headers.includes(header));
  if (unknown.length > 0)
    throw new Problem(
      'bad-file',
      `${fileName} has no column “${unknown[0]}”. Its columns are: ${headers.join(', ')}.`,
      { field: 'mapping' },
    );
  const twice = request.mapping && repeated(headers.map((header) => mapping[header] ?? null));
  if (twice !== undefined)
    throw new Problem('bad-file', `Two columns of ${fileName} would be ${twice}: ${headers.filter((header) => mapping[header] === twice).join(', ')}. Say which one it is, and leave the other out: --map "COLUMN=".`, { field: 'mapping' }); // prettier-ignore
  if (!headers.some((header) => mapping[header] === 'address')) {
    throw new Problem(
      'bad-file',
      `${fileName} has no column of addresses. Its columns are: ${headers.slice(0, 20).join(', ')}. Say which one it is: --map "COLUMN=address".`,
      { field: 'mapping' },
    );
  }
  if (request.mapping) await keepMapping(deps.database, headers, mapping);
  return { delimiter, mapping, kept: kept !== undefined && !request.mapping };
}

function repeated(uses: (string | null)[]): string | undefined {
  return uses.find((use, index): use is string => use !== null && uses.indexOf(use) !== index);
}

function splitHeader(line: string, delimiter: string): string[] {
  const cells = line
    .replace(/^\ufeff/, '')
    .split(new RegExp(`${delimiter === '|' ? '\\|' : delimiter}(?=(?:[^"]*"[^"]*")*[^"]*$)`));
  return cells.map((cell) =>
    cell
      .trim()
      .replace(/^"(.*)"$/, '$1')
      .replaceAll('""', '"'),
  );
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
