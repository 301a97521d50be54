import { Button, FileInput, Select } from '@mantine/core';
import { useState } from 'react';
import { useSearchParams } from 'react-router';
import type { HeldRows } from '../../../shared/api-addresses.ts';
import type { FileFormat } from '../../../client/contact-calls.ts';
import type { FileHead, Import } from '../../../shared/api.ts';
import { ROW_WORDS } from '../../../shared/row-words.ts';
import { useHeldRows, useImport, useImports, useLists } from '../../api/queries.ts';
import { useAct } from '../../api/use-act.ts';
import { useBrand } from '../../brand.tsx';
import { Await, Door, Finding, Leaf, ProblemNote, Section } from '../../components/page.tsx';
import { UnderWay } from '../../components/under-way.tsx';
import { count, moment, plural } from '../../components/words.ts';
import { choicesOf, Columns, mappingOf, type ColumnChoice } from './columns.tsx';

/** As much of a file as is looked at to find what its columns are. */
const HEAD_BYTES = 64 * 1024;

/** Import a CSV file: dry run first, then the same for real, with the outcome of every row. */
export default function ImportPage() {
  const brand = useBrand();
  const lists = useLists();
  const [file, setFile] = useState<File | null>(null);
  const [listId, setListId] = useState<string | null>(null);
  const [params, setParams] = useSearchParams();
  const importId = params.get('import') === null ? null : Number(params.get('import'));
  const setImportId = (id: number | null): void => setParams(id === null ? {} : { import: String(id) });
  const [head, setHead] = useState<FileHead | null>(null);
  const [choices, setChoices] = useState<ColumnChoice[]>([]);
  const look = useAct((client, { file: of, ...format }: { file: File } & Partial<FileFormat>) => client.fileHead({ ...format, fileName: of.name }, of.slice(0, HEAD_BYTES))); // prettier-ignore
  const begin = useAct((client, dryRun: boolean) =>
    client.importFile({ listId: Number(listId), fileName: file!.name, dryRun, delimiter: head?.delimiter, encoding: head?.encoding, header: head?.header, map: head ? JSON.stringify(mappingOf(head, choices)) : undefined }, file!),
  ); // prettier-ignore
  const found = (of: FileHead): void => {
    setHead(of);
    setChoices(choicesOf(of));
    setImportId(null);
  };
  const choose = (chosen: File | null): void => {
    setFile(chosen);
    setHead(null);
    setImportId(null);
    if (chosen) look.mutate({ file: chosen }, { onSuccess: found });
  };
  const followed = useImport(importId);
  const row = importId === null ? undefined : followed.data;
  const start = (dryRun: boolean): void => begin.mutate(dryRun, { onSuccess: (begun) => setImportId(begun.id) });
  const seen = row?.dryRun === true && row.state === 'finished';
  return (
    <>
      <Finding line={`Import into ${brand.name}`} headline={row ? headline(row) : 'Choose a file, and see what it would do'}>
        The dry run counts exactly what the real run will do, and changes nothing.
      </Finding>
      <Leaf
        margin={
          <Section head="File and list">
            <div className="stack">
              <FileInput label="CSV file" description="Delimiter, encoding and header are found by themselves." value={file} onChange={choose} accept=".csv,text/csv,.txt" clearable clearButtonProps={{ 'aria-label': 'Remove the file' }} />
              <Select label="List" data={(lists.data ?? []).filter((list) => list.brandId === brand.id).map((list) => ({ value: String(list.id), label: list.name }))} value={listId} onChange={(value) => { setListId(value); setImportId(null); }} />
              <ProblemNote error={look.error ?? begin.error} />
              <button type="button" className="main-button" disabled={!file || !listId || !head || begin.isPending || (row !== undefined && UNDER_WAY.has(row.state))} onClick={() => start(!seen)}>
                {seen ? `Import ${plural(row.rowsExpected, 'row', 'rows')}` : 'Dry run'}
              </button>
            </div>
          </Section>
        }
      >
        <ProblemNote error={importId === null ? null : followed.error} />
        {row ? <Outcome row={row} countedAt={followed.dataUpdatedAt} /> : null}
        {file && head && (!row || row.dryRun) ? <Columns head={head} choices={choices} change={(changed) => { setChoices(changed); setImportId(null); }} again={(format) => look.mutate({ file, ...(format as Partial<FileFormat>) }, { onSuccess: found })} /> : null}
        {row?.state === 'finished' && (row.counts['held'] ?? 0) > 0 ? <Held row={row} follow={setImportId} /> : null}
        <Earlier />
      </Leaf>
    </>
  ); // prettier-ignore
}

function headline(row: Import): string {
  if (row.state === 'failed') return 'The file cannot be imported';
  if (row.state === 'cancelled') return `Stopped after ${count(row.rowsDone)} of about ${count(row.rowsExpected)} rows`;
  if (row.state !== 'finished') return `${count(row.rowsDone)} of about ${count(row.rowsExpected)} rows`;
  const taken = (row.counts['created'] ?? 0) + (row.counts['updated'] ?? 0);
  return `${count(taken)} of ${count(row.rowsExpected)} rows ${row.dryRun ? 'would come in or change something' : 'came in or changed something'}`;
}

const UNDER_WAY = new Set(['receiving', 'waiting', 'applying']);

/** A file that is taken in: it goes on when the page is left, and can be stopped. */
function Progress({ row, countedAt }: { row: Import; countedAt: number }) {
  const stop = useAct((client, _: void) => client.cancelImport(row.id));
  return (
    <>
      <UnderWay label="Rows read" done={row.rowsDone} whole={row.rowsExpected} since={row.createdAt} countedAt={countedAt}>
        <Button loading={stop.isPending} onClick={() => stop.mutate()}>Stop</Button>
      </UnderWay>
      <p className="second">It goes on when you leave this page. {row.dryRun ? 'A dry run changes nothing.' : 'What has come in when you stop it stays, and can be undone.'}</p>
      <ProblemNote error={stop.error} />
    </>
  ); // prettier-ignore
}

function Outcome({ row, countedAt }: { row: Import; countedAt: number }) {
  if (row.problem) return <ProblemNote error={new Error(row.problem.detail)} />;
  return (
    <Section head={row.dryRun ? 'What would become of each row' : 'What became of each row'} beside={row.state === 'finished' ? <a className="plain" href={`/api/v1/imports/${row.id}/results.csv`}>Result file</a> : undefined}>
      {UNDER_WAY.has(row.state) ? <Progress row={row} countedAt={countedAt} /> : null}
      {row.runId !== null && !UNDER_WAY.has(row.state) ? <p><Door to={`/runs/${row.runId}`}>Run {row.runId}</Door> <span className="second">has all that it changed, and can be undone.</span></p> : null}
      <table className="rows">
        <thead>
          <tr>
            <th>Outcome</th>
            <th>Meaning</th>
            <th className="figure">Rows</th>
          </tr>
        </thead>
        <tbody>
          {Object.entries(row.counts).map(([outcome, rows]) => (
            <tr key={outcome}>
              <td>{outcome}</td>
              <td className="second">{ROW_WORDS[outcome] ?? 'The row cannot be used; the result file says why.'}</td>
              <td className="figure">
                <a className="door" href={`/api/v1/imports/${row.id}/results.csv?only=${outcome}`}>{count(rows)}</a>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="second" style={{ marginTop: 8 }}>Columns{row.options.kept ? ', as you said for an earlier file with this header' : ''}: {Object.entries(row.options.mapping).map(([header, use]) => `${header} is ${use ?? 'left out'}`).join(', ')}</p>
    </Section>
  ); // prettier-ignore
}

/** Rows that wait for a decision: by why and by domain, to be taken in as they are or with the slip mended. */
function Held({ row, follow }: { row: Import; follow: (importId: number) => void }) {
  const release = useAct((client, request: { codes: string[]; mend: boolean }) => client.releaseHeldRows(row.id, { ...request, dryRun: row.dryRun })); // prettier-ignore
  const take = (code: string, mend: boolean): void => release.mutate({ codes: [code], mend }, { onSuccess: (begun) => follow(begun.id) }); // prettier-ignore
  return (
    <Section head={`${plural(row.counts['held']!, 'row waits', 'rows wait')} for your decision`}>
      <ProblemNote error={release.error} />
      <Await of={useHeldRows(row.id, true)} rows={2}>
        {(groups) => [...new Set(groups.map((one) => one.code))].map((code) => (
          <HeldFor key={code} code={code} groups={groups.filter((one) => one.code === code)} busy={release.isPending} take={(mend) => take(code, mend)} />
        ))}
      </Await>
    </Section>
  ); // prettier-ignore
}

function HeldFor({
  code,
  groups,
  busy,
  take,
}: {
  code: string;
  groups: HeldRows[];
  busy: boolean;
  take: (mend: boolean) => void;
}) {
  const rows = groups.reduce((sum, one) => sum + one.rows, 0);
  return (
    <div style={{ paddingBottom: 16 }}>
      <div className="row" style={{ justifyContent: 'space-between' }}>
        <span>{plural(rows, 'row', 'rows')}: {ROW_WORDS[`held:${code}`]!.replace('Held: ', '')}</span>
        <span className="row">
          {groups.some((one) => one.proposal !== null) ? <Button disabled={busy} onClick={() => take(true)}>Take them in, mended</Button> : null}
          <Button disabled={busy} onClick={() => take(false)}>As they are</Button>
        </span>
      </div>
      <table className="rows folds">
        <tbody>
          {groups.map((one) => (
            <tr key={one.domain}>
              <td>{one.domain}</td>
              <td className="second">{one.proposal ? `meant: ${one.proposal}` : one.sample.slice(0, 2).join(', ')}</td>
              <td className="figure">{count(one.rows)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  ); // prettier-ignore
}

function Earlier() {
  const { zone } = useBrand();
  return (
    <Section head="Earlier imports">
      <Await of={useImports()}>
        {({ items }) => (
          <table className="rows folds">
            <tbody>
              {items.map((row) => (
                <tr key={row.id}>
                  <td>
                    <Door to={`/contacts/import?import=${row.id}`}>{row.fileName}</Door>
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
            </tbody>
          </table>
        )}
      </Await>
    </Section>
  );
}
