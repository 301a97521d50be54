import { beginningOf } from '../../../client/send.ts';
import { FileInput, Select } from '@mantine/core';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import type { FileFormat } from '../../../shared/contract/imports.ts';
import { useImports } from '../../api/queries/imports.ts';
import { useLists } from '../../api/queries/organisation.ts';
import { useAct } from '../../api/use-act.ts';
import { useLatest } from '../../api/use-latest.ts';
import { useBrand } from '../../brand.tsx';
import { Await, Door, Finding, Leaf, ProblemNote, Section } from '../../components/page.tsx';
import { moment, plural } from '../../components/words.ts';
import { choicesOf, Columns, mappingOf } from './columns.tsx';
import { keepDraft, lastDraft, type ImportDraft } from './import-draft.ts';
import { Rows } from '../../components/rows.tsx';

/** The file chosen last, what its beginning says of it, and the list it is for; kept while one is elsewhere. */
function useImportDraft() {
  const [draft, setDraft] = useState(lastDraft());
  const [listId, setListId] = useState(draft?.listId ?? null);
  const keep = (next: ImportDraft | null): void => {
    keepDraft(next);
    setDraft(next);
  };
  const latest = useLatest();
  const look = useAct(async (client, { file, ...format }: { file: File } & Partial<FileFormat>) => {
    const isLatest = latest();
    const head = await client.fileHead({ ...format, fileName: file.name, file: beginningOf(file) });
    if (isLatest()) keep({ file, head, choices: choicesOf(head), listId });
  });
  const choose = (file: File | null): void => {
    latest();
    keep(null);
    if (file) look.mutate({ file });
  };
  const onto = (value: string | null): void => {
    setListId(value);
    if (draft) keep({ ...draft, listId: value });
  };
  return { draft, keep, look, choose, listId, onto };
}

/** Choose a file and a list, correct what its columns are, and see what it would do. */
export default function NewImport() {
  const brand = useBrand();
  const lists = useLists();
  const go = useNavigate();
  const { draft, keep, look, choose, listId, onto } = useImportDraft();
  const begin = useAct(async (client, { file, head: { delimiter, encoding, header }, choices }: ImportDraft) => {
    const format = { delimiter, encoding, header, map: JSON.stringify(mappingOf(choices)) };
    const into = { listId: Number(listId), fileName: file.name, dryRun: true };
    const begun = await client.importFile({ ...into, ...format, file });
    void go(`/contacts/import/${begun.id}`);
  });
  const ofBrand = (lists.data ?? []).filter((list) => list.brandId === brand.id);
  const list = ofBrand.find(({ id }) => String(id) === listId);
  return (
    <>
      <Finding line={`Import into ${brand.name}`} headline="Choose a file, and see what it would do">
        The dry run counts exactly what the import will do, and changes nothing.
      </Finding>
      <Leaf
        margin={
          <FileAndList
            file={draft?.file ?? null}
            choose={choose}
            listId={list ? listId : null}
            onto={onto}
            error={look.error ?? begin.error}
            sending={begin.isPending}
            begin={draft && list && !look.isPending ? () => begin.mutate(draft) : undefined}
          />
        }
      >
        {draft ? (
          <Columns
            head={draft.head}
            choices={draft.choices}
            change={(choices) => keep({ ...draft, choices })}
            again={(format) => look.mutate({ file: draft.file, ...(format as Partial<FileFormat>) })}
          />
        ) : null}
        <Earlier />
      </Leaf>
    </>
  );
}

interface FileProps {
  file: File | null;
  choose: (file: File | null) => void;
  listId: string | null;
  onto: (listId: string | null) => void;
  error: unknown;
  sending: boolean;
  /** Begins the dry run, once it can be begun. */
  begin: (() => void) | undefined;
}

/** Which file, and onto which list. */
function FileAndList({ file, choose, listId, onto, error, sending, begin }: FileProps) {
  const brand = useBrand();
  const lists = useLists();
  const ofBrand = (lists.data ?? []).filter((list) => list.brandId === brand.id);
  return (
    <Section head="File and list">
      <div className="stack">
        <FileInput
          label="CSV file"
          description="Delimiter, encoding and header are found by themselves."
          value={file}
          onChange={choose}
          accept=".csv,text/csv,.txt"
          clearable
          clearButtonProps={{ 'aria-label': 'Remove the file' }}
        />
        <Select
          label="List"
          data={ofBrand.map(({ id, name }) => ({ value: String(id), label: name }))}
          value={listId}
          onChange={onto}
        />
        <ProblemNote error={error} />
        <button type="button" className="main-button" disabled={!begin || sending} onClick={begin}>
          {sending ? 'Sending the file …' : 'Dry run'}
        </button>
      </div>
    </Section>
  );
}

function Earlier() {
  const { id, zone } = useBrand();
  return (
    <Section head="Earlier imports">
      <Await of={useImports(id)}>
        {({ items }) => (
          <Rows>
            {items.map((row) => (
              <tr key={row.id}>
                <td>
                  <Door to={`/contacts/import/${row.id}`}>{row.fileName}</Door>
                </td>
                <td className="second">
                  {row.dryRun ? 'dry run, ' : ''}
                  {row.state}
                </td>
                <td className="figure second">{plural(row.rowsExpected, 'row', 'rows')}</td>
                <td className="figure second">
                  {row.runId === null ? (
                    moment(row.createdAt, zone)
                  ) : (
                    <Door to={`/runs/${row.runId}`}>run {row.runId}</Door>
                  )}
                </td>
              </tr>
            ))}
          </Rows>
        )}
      </Await>
    </Section>
  );
}
