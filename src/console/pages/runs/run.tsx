import { Button, Textarea } from '@mantine/core';
import { useState } from 'react';
import { useParams } from 'react-router';
import type { Run as RunData } from '../../../shared/api.ts';
import { useJournalContacts, useLeftAlone, useRun, useRunJournal } from '../../api/queries.ts';
import { useAct } from '../../api/use-act.ts';
import { useBrand } from '../../brand.tsx';
import { Await, Door, Finding, Leaf, NextFifty, ProblemNote, Section } from '../../components/page.tsx';
import { EndedEarly, RunUnderWay, useFreshEnd } from '../../components/run-under-way.tsx';
import { count, moment, plural } from '../../components/words.ts';
import { changedWords } from '../../../shared/changed-words.ts';
import { changeWords } from '../contacts/time-line.tsx';

/** One run: what it changed, and its undo. */
export default function Run() {
  const id = Number(useParams()['id']);
  const asked = useRun(id);
  useFreshEnd(asked.data);
  return <Await of={asked}>{(run) => <RunPage key={run.id} run={run} countedAt={asked.dataUpdatedAt} />}</Await>;
}

function RunPage({ run, countedAt }: { run: RunData; countedAt: number }) {
  const { zone } = useBrand();
  const [cursor, setCursor] = useState<string | undefined>();
  const journal = useRunJournal(run.id, cursor);
  const changed = changedWords(run.counts);
  return (
    <>
      <Finding
        line={`Run ${run.id}, ${run.kind}, ${moment(run.startedAt, zone)}`}
        headline={`${changed || 'Nothing was changed'}${run.finishedAt === null ? ' so far' : ''}`}
      >
        By {run.actor}: {run.reason}.{run.undoesRunId === null ? '' : ` Undoes run ${run.undoesRunId}.`}{' '}
        {run.finishedAt === null || run.stopped === null ? null : (
          <>
            <br />
            <EndedEarly run={run} />
          </>
        )}
      </Finding>
      <Leaf margin={<Margin run={run} countedAt={countedAt} />}>
        {run.counts['leftAlone'] ? <LeftAlone run={run} /> : null}
        <Section head="What it changed">
          <Await of={journal}>
            {({ items, next }) => (
              <>
                <table className="rows folds">
                  <tbody>
                    {items.map((item) => (
                      <tr key={item.id}>
                        <td>
                          {item.contacts === null ? null : <SetOfContacts id={item.id} contacts={item.contacts} />}
                          {item.contactId === null ? null : (
                            <Door to={`/contacts/${item.contactId}`}>{item.name ?? item.address}</Door>
                          )}
                        </td>
                        <td>{changeWords(item)}</td>
                      </tr>
                    ))}
                  </tbody>
                </table>
                <NextFifty next={next} go={setCursor} />
              </>
            )}
          </Await>
        </Section>
      </Leaf>
    </>
  );
}

/** A change that was the same for many: how many, and the first of them on request. */
function SetOfContacts({ id, contacts }: { id: number; contacts: number }) {
  const [open, setOpen] = useState(false);
  const first = useJournalContacts(id, open);
  return (
    <>
      <Button size="compact-sm" variant="subtle" aria-expanded={open} onClick={() => setOpen(!open)}>
        {plural(contacts, 'contact', 'contacts')}
      </Button>
      {open && (
        <Await of={first}>
          {({ items, next }) => (
            <p className="second">
              {items.map((one, index) => (
                <span key={one.id}>
                  {index > 0 ? ', ' : ''}
                  <Door to={`/contacts/${one.id}`}>{one.name ?? one.address}</Door>
                </span>
              ))}
              {next ? ' and others; the command line lists them all.' : ''}
            </p>
          )}
        </Await>
      )}
    </>
  );
}

/** What an undo left as it is, because something had changed it again. */
function LeftAlone({ run }: { run: RunData }) {
  const [cursor, setCursor] = useState<string | undefined>();
  return (
    <Section head={`Left as they are, because something changed them again: ${count(run.counts['leftAlone'] ?? 0)}`}>
      <Await of={useLeftAlone(run.id, cursor)}>
        {({ items, next }) => (
          <>
            <table className="rows folds">
              <tbody>
                {items.map((item) => (
                  <tr key={item.number}>
                    <td>
                      {item.contactId === null ? item.address : <Door to={`/contacts/${item.contactId}`}>{item.name ?? item.address}</Door>}
                    </td>
                    <td className="second">{item.subject}</td>
                  </tr>
                ))}
              </tbody>
            </table>
            <NextFifty next={next} go={setCursor} />
          </>
        )}
      </Await>
    </Section>
  ); // prettier-ignore
}

function Margin({ run, countedAt }: { run: RunData; countedAt: number }) {
  if (run.finishedAt === null)
    return run.whole > 0 ? (
      <Section head="Under way">
        <RunUnderWay run={run} countedAt={countedAt} />
      </Section>
    ) : (
      <Section head="Under way">
        <p className="second">It can be undone when it has finished.</p>
      </Section>
    );
  if (run.undoneByRunId !== null) return <Undone by={run.undoneByRunId} />;
  if (run.kind === 'erase') return null;
  return <Undo run={run} />;
}

function Undone({ by }: { by: number }) {
  const asked = useRun(by);
  useFreshEnd(asked.data);
  return (
    <Section head="Undone">
      <p>
        by <Door to={`/runs/${by}`}>run {by}</Door>
      </p>
      <Await of={asked} rows={1}>
        {(undo) =>
          undo.finishedAt === null ? (
            <RunUnderWay run={undo} countedAt={asked.dataUpdatedAt} />
          ) : (
            <>
              {undo.counts['removed'] ? (
                <p className="second">
                  {count(undo.counts['removed'])} whom it had brought in, and of whom nothing else is known, are
                  removed.
                </p>
              ) : null}
              {undo.counts['leftAlone'] ? (
                <p className="second">
                  {count(undo.counts['leftAlone'])} were left as they are, because something changed them again since.
                </p>
              ) : null}
            </>
          )
        }
      </Await>
    </Section>
  );
}

function Undo({ run }: { run: RunData }) {
  const [reason, setReason] = useState('');
  const undo = useAct((client, why: string) => client.undoRun(run.id, why));
  return (
    <Section head="Undo the whole run">
      <div className="stack">
        <Textarea
          label="Why"
          description="What something changed again since is left as it is, and listed."
          value={reason}
          onChange={(event) => setReason(event.currentTarget.value)}
          autosize
          minRows={2}
        />
        <ProblemNote error={undo.error} />
        <Button disabled={reason.trim() === '' || undo.isPending} onClick={() => undo.mutate(reason)}>
          Put everything back
        </Button>
      </div>
    </Section>
  );
}
