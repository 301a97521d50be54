import { Button } from '@mantine/core';
import { Link, useNavigate, useParams } from 'react-router';
import type { Import } from '../../../shared/contract/imports.ts';
import { ROW_WORDS } from '../../../shared/row-words.ts';
import { useImport, useRenames } from '../../api/queries/imports.ts';
import { useLists } from '../../api/queries/organisation.ts';
import { useAct } from '../../api/use-act.ts';
import { OfAnotherBrand } from '../../components/of-another-brand.tsx';
import { Await, Door, Finding, Leaf, ProblemNote, Section } from '../../components/page.tsx';
import { useAskedAgain } from '../../components/run-under-way.tsx';
import { UnderWay } from '../../components/under-way.tsx';
import { count, plural } from '../../components/words.ts';
import { Held } from './held-rows.tsx';
import { keepDraft } from './import-draft.ts';
import { Rows } from '../../components/rows.tsx';

/** One import, or dry run: what became of each row, or would, and what can be done next with it alone. */
export default function ImportPage() {
  const followed = useImport(Number(useParams()['id']));
  return <Await of={followed}>{(row) => <OneImport row={row} countedAt={followed.dataUpdatedAt} />}</Await>;
}

function OneImport({ row, countedAt }: { row: Import; countedAt: number }) {
  const list = useLists().data?.find(({ id }) => id === row.listId);
  useAskedAgain(UNDER_WAY.has(row.state));
  return (
    <>
      {list ? <OfAnotherBrand brandId={list.brandId} what={row.dryRun ? 'dry run' : 'import'} /> : null}
      <Finding line={`${row.fileName}, into ${list?.name ?? 'a list'}`} headline={headline(row)}>
        {row.dryRun ? 'This was a dry run: nothing was changed.' : undefined}
      </Finding>
      <Leaf margin={<Next row={row} />}>
        {row.state === 'finished' && (row.counts['held'] ?? 0) > 0 ? <Held row={row} /> : null}
        {row.dryRun && row.state === 'finished' && row.appliedAs === null && (row.counts['updated'] ?? 0) > 0 ? (
          <Renamed row={row} />
        ) : null}
        <Outcome row={row} countedAt={countedAt} />
      </Leaf>
    </>
  );
}

function headline(row: Import): string {
  if (row.state === 'failed') return 'The file cannot be imported';
  if (row.state === 'cancelled') return `Stopped after ${count(row.rowsDone)} of about ${count(row.rowsExpected)} rows`;
  if (row.state !== 'finished') return `${count(row.rowsDone)} of about ${count(row.rowsExpected)} rows`;
  return `${count(takenIn(row))} of ${count(row.rowsExpected)} rows ${row.dryRun ? 'would come in or change something' : 'came in or changed something'}`;
}

const takenIn = ({ counts }: Import): number => (counts['created'] ?? 0) + (counts['updated'] ?? 0);

/** Rows that bring nobody in can still say who wants no more. */
const importWords = (rows: number): string =>
  rows > 0 ? `Import ${plural(rows, 'row', 'rows')}` : 'Import it all the same';

const UNDER_WAY = new Set(['receiving', 'waiting', 'applying']);

/** What can be done next. */
function Next({ row }: { row: Import }) {
  const { held } = row.options;
  const back = held ? (
    <p>
      <Door to={`/contacts/import/${held.of}`}>Import {held.of}</Door> <span className="second">held these rows.</span>
    </p>
  ) : null;
  return (
    <Section head={row.dryRun ? 'Dry run' : 'Import'}>
      <div className="stack">
        {back}
        {row.dryRun ? <NextOfDryRun row={row} /> : <NextOfImport row={row} />}
        <Button component={Link} to="/contacts/import">
          Import another file
        </Button>
      </div>
    </Section>
  );
}

function NextOfDryRun({ row }: { row: Import }) {
  const go = useNavigate();
  const apply = useAct(async (client, _: void) => {
    const begun = await client.importDryRun({ id: row.id });
    keepDraft(null);
    void go(`/contacts/import/${begun.id}`);
  });
  if (row.appliedAs !== null)
    return (
      <p>
        Imported since, as <Door to={`/contacts/import/${row.appliedAs}`}>import {row.appliedAs}</Door>.
      </p>
    );
  if (row.options.held) return <p className="second">Tried only. Decide about the held rows where they wait.</p>;
  if (row.state === 'failed' || row.state === 'cancelled') return null;
  return (
    <>
      <ProblemNote error={apply.error} />
      <button
        type="button"
        className="main-button"
        disabled={row.state !== 'finished' || apply.isPending}
        onClick={() => apply.mutate()}
      >
        {row.state === 'finished' ? importWords(takenIn(row)) : 'Counting …'}
      </button>
      <p className="second">
        The same file, read in the same way. To correct its columns,{' '}
        <Door to="/contacts/import">go back to the file</Door>.
      </p>
    </>
  );
}

function NextOfImport({ row }: { row: Import }) {
  if (row.runId === null) return null;
  return UNDER_WAY.has(row.state) ? (
    <p className="second">
      It goes on when you leave this page. What has come in when you stop it stays, and can be undone.
    </p>
  ) : (
    <p>
      <Door to={`/runs/${row.runId}`}>Run {row.runId}</Door>{' '}
      <span className="second">has all that it changed, and can be undone.</span>
    </p>
  );
}

/** A file that is taken in: it goes on when the page is left, and can be stopped. */
function Progress({ row, countedAt }: { row: Import; countedAt: number }) {
  const stop = useAct((client, _: void) => client.cancelImport({ id: row.id }));
  return (
    <>
      <UnderWay
        label="Rows read"
        done={row.rowsDone}
        whole={row.rowsExpected}
        since={row.createdAt}
        countedAt={countedAt}
      >
        <Button loading={stop.isPending} onClick={() => stop.mutate()}>
          Stop
        </Button>
      </UnderWay>
      <ProblemNote error={stop.error} />
    </>
  );
}

/** Whose name would be another: a file with names of its own is a good way to lose better ones. */
function Renamed({ row }: { row: Import }) {
  return (
    <Await of={useRenames(row.id)} rows={2}>
      {({ contacts, sample }) =>
        contacts === 0 ? null : (
          <Section head={`${plural(contacts, 'contact', 'contacts')} would get another name`}>
            <Rows
              heads={
                <>
                  <th>Contact</th>
                  <th>Is called</th>
                  <th>Would be called</th>
                </>
              }
            >
              {sample.map((one) => (
                <tr key={one.contactId}>
                  <td>
                    <Door to={`/contacts/${one.contactId}`}>{one.address}</Door>
                  </td>
                  <td className="second">{one.before}</td>
                  <td>{one.after}</td>
                </tr>
              ))}
            </Rows>
            {contacts > sample.length ? (
              <p className="second">
                and {count(contacts - sample.length)} more. To keep the names that are there, leave the column out.
              </p>
            ) : (
              <p className="second">To keep the names that are there, leave the column out.</p>
            )}
          </Section>
        )
      }
    </Await>
  );
}

function Outcome({ row, countedAt }: { row: Import; countedAt: number }) {
  if (row.problem) return <ProblemNote error={new Error(row.problem.detail)} />;
  return (
    <Section
      head={row.dryRun ? 'What would become of each row' : 'What became of each row'}
      beside={
        row.state === 'finished' ? (
          <a className="plain" href={`/api/v1/imports/${row.id}/results.csv`}>
            Result file
          </a>
        ) : undefined
      }
    >
      {UNDER_WAY.has(row.state) ? <Progress row={row} countedAt={countedAt} /> : null}
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
                <a className="door" href={`/api/v1/imports/${row.id}/results.csv?only=${outcome}`}>
                  {count(rows)}
                </a>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="second" style={{ marginTop: 8 }}>
        Columns{row.options.kept ? ', as you said for an earlier file with this header' : ''}:{' '}
        {Object.entries(row.options.mapping)
          .map(([header, use]) => `${header} is ${use ?? 'left out'}`)
          .join(', ')}
      </p>
    </Section>
  );
}
