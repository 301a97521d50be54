import { Button, FileInput, SegmentedControl, Textarea } from '@mantine/core';
import { useState } from 'react';
import { useNavigate, useParams, useSearchParams } from 'react-router';
import type { Reconciliation } from '../../../shared/api-permission.ts';
import { useReconciled, useReconciliation, useReconciliations } from '../../api/queries.ts';
import { useAct } from '../../api/use-act.ts';
import { useBrand } from '../../brand.tsx';
import { Await, Door, Finding, Leaf, NextFifty, ProblemNote, Section } from '../../components/page.tsx';
import { count, moment, plural } from '../../components/words.ts';
import { ActOnFound } from './act-on-found.tsx';

/** A list of addresses held against the base: a new one, the earlier ones, or the answer of one. */
export default function Reconcile() {
  const id = useParams()['id'];
  return id === undefined ? <NewList /> : <Answered id={Number(id)} />;
}

function NewList() {
  const { zone } = useBrand();
  const go = useNavigate();
  const [file, setFile] = useState<File | null>(null);
  const [pasted, setPasted] = useState('');
  const act = useAct(async (service, input: { name: string; body: Blob }) => {
    const done = await service.reconcile(input.name, input.body);
    void go(`/contacts/reconcile/${done.id}`);
  });
  const start = (): void => act.mutate(file ? { name: file.name, body: file } : { name: 'pasted list', body: new Blob([pasted]) }); // prettier-ignore
  return (
    <>
      <Finding line="Reconcile a list" headline="Which of these do we have, and which of ours are on it?">
        Addresses one a line, a table with a column of them, or SHA-256 digests. Nothing is changed.
      </Finding>
      <Leaf
        margin={
          <Section head="The list">
            <div className="stack">
              <FileInput label="File" value={file} onChange={setFile} clearable />
              <Textarea label="Or paste it" value={pasted} onChange={(event) => setPasted(event.currentTarget.value)} disabled={file !== null} minRows={6} autosize maxRows={16} />
              <ProblemNote error={act.error} />
              <Button disabled={(file === null && pasted.trim() === '') || act.isPending} onClick={start}>
                {act.isPending ? 'Reading …' : 'Hold it against the base'}
              </Button>
            </div>
          </Section>
        }
      >
        <Section head="Earlier lists">
          <Await of={useReconciliations()}>
            {({ items }) =>
              items.length === 0 ? (
                <p className="second">No list has been reconciled yet.</p>
              ) : (
                <table className="rows folds">
                  <tbody>
                    {items.map((one) => (
                      <tr key={one.id}>
                        <td><Door to={`/contacts/reconcile/${one.id}`}>{one.name}</Door></td>
                        <td className="figure">{plural(one.rows, 'row', 'rows')}</td>
                        <td className="second">{count(one.known)} in the base</td>
                        <td className="figure second">{moment(one.createdAt, zone)}</td>
                      </tr>
                    ))}
                  </tbody>
                </table>
              )
            }
          </Await>
        </Section>
      </Leaf>
    </>
  ); // prettier-ignore
}

function Answered({ id }: { id: number }) {
  return <Await of={useReconciliation(id)}>{(one) => <Answer one={one} />}</Await>;
}

const WAYS = [
  { value: 'given-yes', label: 'On it, in the base' },
  { value: 'given-no', label: 'On it, not in the base' },
  { value: 'ours-no', label: 'Ours, not on it' },
];

function Answer({ one }: { one: Reconciliation }) {
  const [params, setParams] = useSearchParams();
  const way = params.get('way') ?? 'given-yes';
  const direction = way.startsWith('ours') ? ('ours' as const) : ('given' as const);
  const found = way.endsWith('yes');
  const rows = useReconciled(one.id, { direction, found, cursor: params.get('cursor') ?? undefined });
  const total = way === 'given-yes' ? one.known : way === 'given-no' ? one.rows - one.known : one.oursNotOnIt;
  return (
    <>
      <Finding line={`${one.name}, by ${one.actor}`} headline={`${count(one.known)} of ${count(one.rows)} are in the base`}>
        {count(one.rows - one.known)} are not{one.unreadable > 0 ? `, ${count(one.unreadable)} of them neither an address nor a SHA-256` : ''}. Of our contacts, {count(one.oursOnIt)} are on the list and {count(one.oursNotOnIt)} are not.
      </Finding>
      <Leaf margin={way === 'given-no' ? null : <ActOnFound key={way} who={{ reconciled: { id: one.id, on: way === 'given-yes' } }} total={way === 'given-yes' ? one.oursOnIt : one.oursNotOnIt} all />}>
        <Section
          head={plural(total, 'row', 'rows')}
          beside={
            <Button component="a" href={`/api/v1/reconciliations/${one.id}/rows.csv?direction=${direction}&found=${found}`}>
              Download
            </Button>
          }
        >
          <SegmentedControl data={WAYS} value={way} onChange={(value) => setParams({ way: value })} color="var(--av-ink)" aria-label="Which part of the answer" fullWidth orientation={globalThis.matchMedia('(max-width: 700px)').matches ? 'vertical' : 'horizontal'} />
          <Await of={rows}>
            {({ items, next }) => (
              <>
                <table className="rows folds">
                  <tbody>
                    {items.map((row) => (
                      <tr key={row.place}>
                        <td>{row.contactId === null ? row.given : <Door to={`/contacts/${row.contactId}`}>{row.address}</Door>}</td>
                        <td className="second">{row.name}</td>
                        <td className="figure second">{row.standing ?? 'not in the base'}</td>
                      </tr>
                    ))}
                  </tbody>
                </table>
                {items.length === 0 ? <p className="second">Nobody.</p> : null}
                <NextFifty next={next} go={(cursor) => setParams({ way, cursor })} />
              </>
            )}
          </Await>
        </Section>
      </Leaf>
    </>
  ); // prettier-ignore
}
