import type { FileHead } from '../../../shared/contract/imports.ts';
import type { ColumnChoice } from './columns.tsx';

/** A file that was chosen for import, how it is read, and into which list. */
export interface ImportDraft {
  file: File;
  head: FileHead;
  choices: ColumnChoice[];
  listId: string | null;
}

/** What was chosen last, for whoever comes back from the dry run to correct something. */
let last: ImportDraft | null = null;

export const lastDraft = (): ImportDraft | null => last;

export function keepDraft(draft: ImportDraft | null): void {
  last = draft;
}
