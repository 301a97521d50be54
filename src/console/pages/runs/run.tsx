import { Button, Textarea } from '@mantine/core';
import { useState } from 'react';
import { useParams } from 'react-router';
import type { Run as RunData } from '../../../shared/api.ts';
import { useJournalContacts, useRun, useRunJournal } from '../../api/queries.ts';
import { useAct } from '../../api/use-act.ts';
import { useBrand } from '../../brand.tsx';
import { Await, Door, Finding, Leaf, ProblemNote, Section } from '../../components/page.tsx';
import { changedWords, count, moment, plural } from '../../components/words.ts';
import { changeWords } from '../contacts/time-line.tsx';

/** One run: what it changed, and its undo. */
export default function Run() {
  const id = Number(useParams()['id']);
  return <Await of={useRun(id)}>{(run) => <RunPage key={run.id} run={run} />}</Await>;
}

function RunPage({ run }: { run: RunData }) {
  const { zone } = useBrand();
  const [cursor, setCursor] = useState<string | undefined>();
  const journal = useRunJournal(run.id, cursor);
  const changed = changedWords(run.counts);
  return (
    <>
      <Finding
        line={`Run ${run.id}, ${run.kind}, ${moment(run.startedAt, zone)}`}
        headline={changed || 'Nothing was changed'}
      >
        By {run.actor}: {run.reason}.{run.undoesRunId === null ? '' : ` Undoes run ${run.undoesRunId}.`}
      </Finding>
      <Leaf margin={<Undo run={run} />}>
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
                {next ? (
                  <Button mt="sm" onClick={() => setCursor(next)}>
                    Next 50
                  </Button>
                ) : null}
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

function Undo({ run }: { run: RunData }) {
  const [reason, setReason] = useState('');
  const undo = useAct((client, why: string) => client.undoRun(run.id, why));
  if (run.undoneByRunId !== null) {
    return (
      <Section head="Undone">
        <p>
          by <Door to={`/runs/${run.undoneByRunId}`}>run {run.undoneByRunId}</Door>
        </p>
        {undo.data && undo.data.removed > 0 ? (
          <p className="second">
            {count(undo.data.removed)} whom it had brought in, and of whom nothing else is known, are removed.
          </p>
        ) : null}
        {undo.data && undo.data.leftAlone > 0 ? (
          <p className="second">
            {count(undo.data.leftAlone)} were left as they are, because something changed them again since.
          </p>
        ) : null}
      </Section>
    );
  }
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
