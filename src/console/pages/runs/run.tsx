import { Button, Textarea } from '@mantine/core';
import { useState } from 'react';
import { useParams } from 'react-router';
import type { Run as RunData } from '../../../shared/api.ts';
import { useRun, useRunJournal } from '../../api/queries.ts';
import { useAct } from '../../api/use-act.ts';
import { useBrand } from '../../brand.tsx';
import { Await, Door, Finding, Leaf, ProblemNote, Section } from '../../components/page.tsx';
import { count, moment } from '../../components/words.ts';
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
  const changed = Object.entries(run.counts).map(([what, n]) => `${count(n)} ${what}`).join(', '); // prettier-ignore
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
                          {item.contactId === null ? (
                            ''
                          ) : (
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

function Undo({ run }: { run: RunData }) {
  const [reason, setReason] = useState('');
  const undo = useAct((client, why: string) => client.undoRun(run.id, why));
  if (run.undoneByRunId !== null) {
    return (
      <Section head="Undone">
        <p>
          by <Door to={`/runs/${run.undoneByRunId}`}>run {run.undoneByRunId}</Door>
        </p>
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
