import { beginningOf } from '../../../client/send.ts';
import { Button, FileInput, Select, TextInput } from '@mantine/core';
import { useState } from 'react';
import { useNavigate, useParams } from 'react-router';
import type { Verification, VerificationHead } from '../../../shared/contract/verifications.ts';
import { OUTSIDE_VERDICTS, type OutsideVerdict } from '../../../shared/words.ts';
import { client } from '../../api/client.ts';
import { useVerification, useVerifications } from '../../api/queries/verifications.ts';
import { useAct } from '../../api/use-act.ts';
import { useLatest } from '../../api/use-latest.ts';
import { useBrand } from '../../brand.tsx';
import { FourSteps } from '../../components/four-steps.tsx';
import { Await, Door, Finding, Leaf, ProblemNote, Section } from '../../components/page.tsx';
import { count, day, plural } from '../../components/words.ts';
import { Rows } from '../../components/rows.tsx';

/**
 * What outside verifiers say of addresses: a new file, the earlier ones, or one with its words and what it would do.
 */
export default function Verifications() {
  const id = useParams()['id'];
  return id === undefined ? <NewFile /> : <OneFile id={Number(id)} />;
}

function NewFile() {
  return (
    <>
      <Finding line="Verdicts from outside" headline="What does a verifier say of our addresses?">
        A table with a column of addresses and one of verdicts. What its words mean is said once for each verifier;
        nobody is marked before that.
      </Finding>
      <Leaf
        margin={
          <Section head="The file">
            <FileForm />
          </Section>
        }
      >
        <EarlierFiles />
      </Leaf>
    </>
  );
}

/** A file that is chosen, and what it says of itself: it stands in the fields before anything is read. */
function useFileOfVerdicts() {
  const [file, setFile] = useState<File | null>(null);
  const [source, setSource] = useState('');
  const [checked, setChecked] = useState('');
  const [head, setHead] = useState<VerificationHead | null>(null);
  const [column, setColumn] = useState<string | null>(null);
  const latest = useLatest();
  const look = useAct(async (service, chosen: File) => {
    const isLatest = latest();
    const said = await service.lookAtVerdicts({ name: chosen.name, file: beginningOf(chosen) });
    if (!isLatest()) return;
    setHead(said);
    setColumn(said.verdict);
    setSource(said.source ?? source);
    setChecked(said.checkedOn ?? checked);
  });
  const choose = (chosen: File | null): void => {
    latest();
    setFile(chosen);
    setHead(null);
    if (chosen) look.mutate(chosen);
  };
  return { file, choose, head, column, setColumn, source, setSource, checked, setChecked, lookError: look.error };
}

/** A file, with what it says of itself to be corrected before it is read. */
function FileForm() {
  const go = useNavigate();
  const { file, choose, head, column, source, checked, ...form } = useFileOfVerdicts();
  const act = useAct(async (service, input: File) => {
    const said = { source, checkedAt: checked || undefined, column: column ?? undefined };
    const read = await service.verify({ name: input.name, ...said, file: input });
    void go(`/contacts/verifications/${read.id}`);
  });
  return (
    <div className="stack">
      <FileInput
        label="File"
        value={file}
        onChange={choose}
        clearable
        clearButtonProps={{ 'aria-label': 'Remove the file' }}
      />
      {head ? (
        <Select
          label="Column of verdicts"
          placeholder="which one"
          data={[...new Set(head.columns)]}
          value={column}
          onChange={form.setColumn}
        />
      ) : null}
      <TextInput
        label="Who verified"
        description="From the file, where it says so."
        value={source}
        onChange={(event) => form.setSource(event.currentTarget.value)}
      />
      <TextInput
        label="When"
        description="From the file, where it says so; else today, if left empty."
        type="date"
        value={checked}
        onChange={(event) => form.setChecked(event.currentTarget.value)}
      />
      <ProblemNote error={act.error ?? form.lookError} />
      <Button
        disabled={file === null || column === null || source.trim() === '' || act.isPending}
        onClick={() => act.mutate(file!)}
      >
        {act.isPending ? 'Reading …' : 'Read it'}
      </Button>
    </div>
  );
}

function EarlierFiles() {
  const { zone } = useBrand();
  return (
    <Section head="Earlier files">
      <Await of={useVerifications()}>
        {({ items }) =>
          items.length === 0 ? (
            <p className="second">No verifier has said anything yet.</p>
          ) : (
            <Rows>
              {items.map((one) => (
                <tr key={one.id}>
                  <td>
                    <Door to={`/contacts/verifications/${one.id}`}>{one.name}</Door>
                  </td>
                  <td className="second">
                    {one.source}, {day(one.checkedAt, zone)}
                  </td>
                  <td className="figure">{plural(one.rows, 'row', 'rows')}</td>
                  <td className="figure second">
                    {one.runId === null ? 'not applied' : <Door to={`/runs/${one.runId}`}>run {one.runId}</Door>}
                  </td>
                </tr>
              ))}
            </Rows>
          )
        }
      </Await>
    </Section>
  );
}

function OneFile({ id }: { id: number }) {
  return <Await of={useVerification(id)}>{(one) => <Answer one={one} />}</Await>;
}

function Answer({ one }: { one: Verification }) {
  const { zone } = useBrand();
  const unsaid = one.words.filter((word) => word.verdict === null).length;
  const headline =
    unsaid > 0
      ? `What do ${plural(unsaid, 'word', 'words')} of ${one.source} mean?`
      : `${count(one.willChange)} of ${plural(one.rows, 'address', 'addresses')} would be acted on`;
  return (
    <>
      <Finding
        line={`${one.name}, checked by ${one.source} on ${day(one.checkedAt, zone)}`}
        headline={one.runId === null ? headline : `Applied to ${plural(one.rows, 'address', 'addresses')}`}
      >
        {one.unreadable > 0 ? `${plural(one.unreadable, 'row is', 'rows are')} no address. ` : ''}A verdict stays on the
        contact with who gave it and when.{' '}
        {one.runId === null ? '' : <Door to={`/runs/${one.runId}`}>Look at run {one.runId}, or undo it</Door>}
      </Finding>
      <Leaf
        margin={
          one.runId !== null ? (
            <Forget one={one} />
          ) : unsaid === 0 ? (
            <Apply one={one} />
          ) : (
            <Words key={unsaid} one={one} />
          )
        }
      >
        {one.verdicts.length > 0 && <Verdicts one={one} />}
        <WordsOf one={one} />
      </Leaf>
    </>
  );
}

function WordsOf({ one: { source, words } }: { one: Verification }) {
  return (
    <Section head={`Words of ${source}`}>
      <Rows
        heads={
          <>
            <th>Their word</th>
            <th>Means</th>
            <th className="figure">Rows</th>
            <th className="figure">Contacts</th>
          </>
        }
      >
        {words.map((word) => (
          <tr key={word.word}>
            <td>{word.word === '' ? '(empty)' : word.word}</td>
            <td className="second">{word.verdict ?? 'not said yet'}</td>
            <td className="figure">{count(word.rows)}</td>
            <td className="figure">{count(word.contacts)}</td>
          </tr>
        ))}
      </Rows>
    </Section>
  );
}

const ACT_WORDS = {
  suppress: 'suppressed',
  hold: 'held until you decide',
  tag: 'tagged',
  nothing: 'noted only',
} as const;

/** What stands between an act and the tag or list that it is about. */
const ONTO_WORDS = { suppress: 'on', hold: 'on', tag: 'with', nothing: '' } as const;

function Verdicts({ one }: { one: Verification }) {
  const save = useAct((service, change: { verdict: OutsideVerdict; act: string }) =>
    service.saveVerdictActs({ [change.verdict]: change.act }),
  );
  return (
    <Section head="What the verdicts do">
      <Rows
        heads={
          <>
            <th>Verdict</th>
            <th>Act</th>
            <th className="figure">Contacts</th>
            {one.runId === null ? <th className="figure">Would change</th> : null}
          </>
        }
      >
        {one.verdicts.map((row) => (
          <tr key={row.verdict}>
            <td>{row.verdict}</td>
            <td>
              {one.runId === null ? (
                <Select
                  aria-label={`Act on ${row.verdict}`}
                  data={Object.entries(ACT_WORDS).map(([value, label]) => ({ value, label }))}
                  value={row.act}
                  allowDeselect={false}
                  onChange={(act) => act && save.mutate({ verdict: row.verdict, act })}
                  w={210}
                />
              ) : (
                ACT_WORDS[row.act]
              )}
              {row.onto === null ? null : (
                <span className="second">
                  {' '}
                  {ONTO_WORDS[row.act]} “{row.onto}”
                </span>
              )}
            </td>
            <td className="figure">{count(row.contacts)}</td>
            {one.runId === null ? <td className="figure">{count(row.willChange)}</td> : null}
          </tr>
        ))}
      </Rows>
      <ProblemNote error={save.error} />
    </Section>
  );
}

function Words({ one }: { one: Verification }) {
  const unsaid = one.words.filter((word) => word.verdict === null);
  const [said, setSaid] = useState<Record<string, OutsideVerdict | null>>(
    Object.fromEntries(unsaid.map((word) => [word.word, word.proposed])),
  );
  const act = useAct((service, words: Record<string, OutsideVerdict>) => service.mapWords({ id: one.id, words }));
  if (unsaid.length === 0) return null;
  const missing = Object.values(said).some((verdict) => verdict === null);
  return (
    <Section head="Say it once">
      <div className="stack">
        {Object.values(said).filter((verdict) => verdict === null).length > 1 ? (
          <Select
            label="All that is not said below means"
            placeholder="one for all"
            data={[...OUTSIDE_VERDICTS]}
            value={null}
            onChange={(others) =>
              setSaid(
                Object.fromEntries(
                  Object.entries(said).map(([word, verdict]) => [word, verdict ?? (others as OutsideVerdict)]),
                ),
              )
            }
          />
        ) : null}
        {unsaid.map(({ word }) => (
          <Select
            key={word}
            label={word === '' ? '(empty)' : `“${word}”`}
            placeholder="means …"
            data={[...OUTSIDE_VERDICTS]}
            value={said[word] ?? null}
            onChange={(verdict) => setSaid({ ...said, [word]: verdict })}
          />
        ))}
        <ProblemNote error={act.error} />
        <Button disabled={missing || act.isPending} onClick={() => act.mutate(said as Record<string, OutsideVerdict>)}>
          Keep this for {one.source}
        </Button>
      </div>
    </Section>
  );
}

function Apply({ one }: { one: Verification }) {
  const acting = one.verdicts.filter((row) => row.willChange > 0);
  return (
    <Section head="Apply it">
      <FourSteps
        expected={one.willChange}
        what="Apply to"
        change={
          <>
            {acting.map(
              (row) =>
                `${plural(row.willChange, 'contact', 'contacts')} ${row.verdict}: ${ACT_WORDS[row.act]}${row.onto === null ? '' : ` ${ONTO_WORDS[row.act]} “${row.onto}”`}. `,
            )}
            Every known address gets its verdict. The run can be undone.
          </>
        }
        apply={(expect, reason) => client.applyVerification({ id: one.id, expect, reason })}
      >
        <p>{plural(one.willChange, 'contact', 'contacts')} would be acted on.</p>
      </FourSteps>
    </Section>
  );
}

/** The file itself is personal data: when it has served, it can go. */
function Forget({ one }: { one: Verification }) {
  const go = useNavigate();
  const act = useAct(async (service, id: number) => {
    await service.forgetVerification({ id });
    void go('/contacts/verifications');
  });
  return (
    <Section head="The file">
      <div className="stack">
        <p className="second">
          Its rows are kept until you forget them. The verdicts stay on the contacts, and what {one.source}’s words mean
          is kept for their next file.
        </p>
        <ProblemNote error={act.error} />
        <Button disabled={act.isPending} onClick={() => act.mutate(one.id)}>
          Forget the file
        </Button>
      </div>
    </Section>
  );
}
