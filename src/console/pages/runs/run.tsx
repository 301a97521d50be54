import { Button, Checkbox } from '@mantine/core';
import { useState } from 'react';
import { useParams } from 'react-router';
import type { JournalItem, Run as RunData } from '../../../shared/contract/runs.ts';
import { useJournalContacts, useLeftAlone, useRun, useRunJournal } from '../../api/queries/runs.ts';
import { useAct } from '../../api/use-act.ts';
import { useBrand } from '../../brand.tsx';
import { ContactDoor } from '../../components/contact-door.tsx';
import { Await, Door, Finding, Leaf, ProblemNote, Section } from '../../components/page.tsx';
import { EndedEarly, RunUnderWay, useFreshEnd } from '../../components/run-under-way.tsx';
import { count, moment, plural } from '../../components/words.ts';
import { useOwnPages } from '../../components/turn.tsx';
import { changedWords } from '../../../client/wording/changed.ts';
import { changeWords } from '../contacts/time-line.tsx';
import { LongField } from '../../components/long-field.tsx';
import { PageOfRows } from '../../components/rows.tsx';

/** One run: what it changed, and its undo. */
export default function Run() {
  const id = Number(useParams()['id']);
  const asked = useRun(id);
  useFreshEnd(asked.data);
  return <Await of={asked}>{(run) => <RunPage key={run.id} run={run} countedAt={asked.dataUpdatedAt} />}</Await>;
}

function RunPage({ run, countedAt }: { run: RunData; countedAt: number }) {
  const { zone } = useBrand();
  const pages = useOwnPages();
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
          <PageOfRows
            of={useRunJournal(run.id, pages.cursor)}
            pages={pages}
            size={50}
            none={
              run.kind === 'erase' ? 'Nothing that says whom it concerned is kept.' : 'No mark of anybody was changed.'
            }
          >
            {(item) => (
              <tr key={item.id}>
                <td>
                  {item.contacts === null ? null : <SetOfContacts id={item.id} contacts={item.contacts} />}
                  <Whom {...item} />
                </td>
                <td>{changeWords(item)}</td>
              </tr>
            )}
          </PageOfRows>
        </Section>
      </Leaf>
    </>
  );
}

/** The contact that something of a run concerned; an address alone where there is none. */
function Whom({ contactId, ...contact }: Pick<JournalItem, 'contactId' | 'name' | 'address' | 'archived'>) {
  return contactId === null ? contact.address : <ContactDoor id={contactId} {...contact} />;
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
                  <ContactDoor {...one} />
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
  const pages = useOwnPages();
  return (
    <Section head={`Left as they are, because something changed them again: ${count(run.counts['leftAlone'] ?? 0)}`}>
      <PageOfRows of={useLeftAlone(run.id, pages.cursor)} pages={pages} size={50} none="">
        {(item) => (
          <tr key={item.number}>
            <td>
              <Whom {...item} />
            </td>
            <td className="second">{item.subject}</td>
          </tr>
        )}
      </PageOfRows>
    </Section>
  );
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
    <Section head={asked.data?.finishedAt === null ? 'Being undone' : 'Undone'}>
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
  const [ruleToo, setRuleToo] = useState(run.changedRule);
  const undo = useAct((client, why: string) => client.undoRun({ id: run.id, reason: why, ruleToo }));
  return (
    <Section head="Undo the whole run">
      <div className="stack">
        <LongField
          label="Why"
          description="What something changed again since is left as it is, and listed."
          value={reason}
          change={setReason}
        />
        {run.changedRule ? (
          <Checkbox
            label="Put the ladder back as it was, too"
            description="It was changed with this run. If it stays, everybody would move again."
            checked={ruleToo}
            onChange={(event) => setRuleToo(event.currentTarget.checked)}
          />
        ) : null}
        <ProblemNote error={undo.error} />
        <Button disabled={reason.trim() === '' || undo.isPending} onClick={() => undo.mutate(reason)}>
          Put everything back
        </Button>
      </div>
    </Section>
  );
}
