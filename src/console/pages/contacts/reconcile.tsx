import { Button, FileInput, SegmentedControl, Select } from '@mantine/core';
import { useState } from 'react';
import { useNavigate, useParams, useSearchParams } from 'react-router';
import type { ReconciledRow, Reconciliation } from '../../../shared/contract/reconciliations.ts';
import { client } from '../../api/client.ts';
import { useLists } from '../../api/queries/organisation.ts';
import { useReconciled, useReconciliation, useReconciliations } from '../../api/queries/reconciliations.ts';
import { useSuppressionLists } from '../../api/queries/suppression.ts';
import { useAct } from '../../api/use-act.ts';
import { useBrand } from '../../brand.tsx';
import { FourSteps } from '../../components/four-steps.tsx';
import { useNarrow } from '../../components/narrow.ts';
import { Await, Door, Finding, Leaf, ProblemNote, Section } from '../../components/page.tsx';
import { count, moment, plural } from '../../components/words.ts';
import { Turn, usePages } from '../../components/turn.tsx';
import { ActOnFound } from './act-on-found.tsx';
import { LongField } from '../../components/long-field.tsx';
import { Rows } from '../../components/rows.tsx';
import css from './reconcile.module.css';

/** A list of addresses held against the base: a new one, the earlier ones, or the answer of one. */
export default function Reconcile() {
  const id = useParams()['id'];
  return id === undefined ? <NewList /> : <Answered id={Number(id)} />;
}

function NewList() {
  const go = useNavigate();
  const [file, setFile] = useState<File | null>(null);
  const [pasted, setPasted] = useState('');
  const act = useAct(async (service, input: { name: string; body: Blob }) => {
    const done = await service.reconcile({ name: input.name, file: input.body });
    void go(`/contacts/reconcile/${done.id}`);
  });
  const start = (): void =>
    act.mutate(file ? { name: file.name, body: file } : { name: 'pasted list', body: new Blob([pasted]) });
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
              <LongField
                label="Or paste it"
                value={pasted}
                change={setPasted}
                disabled={file !== null}
                minRows={6}
                maxRows={16}
              />
              <ProblemNote error={act.error} />
              <Button disabled={(file === null && pasted.trim() === '') || act.isPending} onClick={start}>
                {act.isPending ? 'Reading …' : 'Hold it against the base'}
              </Button>
            </div>
          </Section>
        }
      >
        <EarlierLists />
      </Leaf>
    </>
  );
}

function EarlierLists() {
  const { zone } = useBrand();
  return (
    <Section head="Earlier lists">
      <Await of={useReconciliations()}>
        {({ items }) =>
          items.length === 0 ? (
            <p className="second">No list has been reconciled yet.</p>
          ) : (
            <Rows>
              {items.map((one) => (
                <tr key={one.id}>
                  <td>
                    <Door to={`/contacts/reconcile/${one.id}`}>{one.name}</Door>
                  </td>
                  <td className="figure">{plural(one.rows, 'row', 'rows')}</td>
                  <td className="second">{count(one.known)} in the base</td>
                  <td className="figure second">{moment(one.createdAt, zone)}</td>
                </tr>
              ))}
            </Rows>
          )
        }
      </Await>
    </Section>
  );
}

function Answered({ id }: { id: number }) {
  return <Await of={useReconciliation(id)}>{(one) => <Answer one={one} />}</Await>;
}

const WAYS = [
  { value: 'given-yes', label: 'On it, in the base' },
  { value: 'given-no', label: 'On it, not in the base' },
  { value: 'ours-no', label: 'Ours, not on it' },
];
const NOBODY = { value: 'given-nobody', label: 'No address' };

function Answer({ one }: { one: Reconciliation }) {
  const [params, setParams] = useSearchParams();
  const way = params.get('way') ?? 'given-yes';
  return (
    <>
      <Finding
        line={`${one.name}, by ${one.actor}`}
        headline={`${count(one.known)} of ${count(one.rows)} ${one.known === 1 ? 'is' : 'are'} in the base`}
      >
        {plural(one.strangers, 'is', 'are')} not
        {one.unreadable > 0 ? `; ${plural(one.unreadable, 'row is', 'rows are')} neither an address nor a SHA-256` : ''}
        . Of our contacts, {plural(one.oursOnIt, 'is', 'are')} on the list and {plural(one.oursNotOnIt, 'is', 'are')}{' '}
        not.
      </Finding>
      <Leaf margin={<ActsOn one={one} way={way} />}>
        <PartOfAnswer one={one} way={way} choose={(chosen) => setParams({ way: chosen })} />
      </Leaf>
    </>
  );
}

/** What can be done with those of this part of the answer. */
function ActsOn({ one, way }: { one: Reconciliation; way: string }) {
  if (way === NOBODY.value) return null;
  if (way === 'given-no') return <Strangers one={one} />;
  const on = way === 'given-yes';
  return (
    <ActOnFound key={way} who={{ reconciled: { id: one.id, on } }} total={on ? one.oursOnIt : one.oursNotOnIt} all />
  );
}

function PartOfAnswer({ one, way, choose }: { one: Reconciliation; way: string; choose: (way: string) => void }) {
  const narrow = useNarrow();
  const pages = usePages();
  const direction = way.startsWith('ours') ? ('ours' as const) : ('given' as const);
  const found = way === NOBODY.value ? ('nobody' as const) : way.endsWith('yes');
  const rows = useReconciled(one.id, { direction, found, cursor: pages.cursor });
  const total =
    { 'given-yes': one.known, 'given-no': one.strangers, [NOBODY.value]: one.unreadable }[way] ?? one.oursNotOnIt;
  return (
    <Section
      head={plural(total, 'row', 'rows')}
      beside={
        <Button component="a" href={`/api/v1/reconciliations/${one.id}/rows.csv?direction=${direction}&found=${found}`}>
          Download
        </Button>
      }
    >
      <SegmentedControl
        data={one.unreadable > 0 ? [...WAYS, NOBODY] : WAYS}
        value={way}
        onChange={choose}
        color="var(--av-ink)"
        aria-label="Which part of the answer"
        fullWidth
        orientation={narrow ? 'vertical' : 'horizontal'}
      />
      <Await of={rows}>
        {({ items, next }) => (
          <>
            <FoundRows
              rows={items}
              none={way === NOBODY.value ? 'no address' : 'not in the base'}
              columns={way === 'ours-no' ? [] : one.columns}
            />
            {items.length === 0 ? <p className="second">Nobody.</p> : null}
            <Turn pages={pages} next={next} size={50} />
          </>
        )}
      </Await>
    </Section>
  );
}

/** What can be done with whom the base does not have: keep them out for good, or take them in by way of a dry run. */
function Strangers({ one }: { one: Reconciliation }) {
  if (one.strangers === 0) return null;
  return (
    <>
      <SuppressThem one={one} />
      <TakeThemIn one={one} />
    </>
  );
}

const named = (all: { id: number; name: string }[]) => all.map(({ id, name }) => ({ value: String(id), label: name }));

function SuppressThem({ one }: { one: Reconciliation }) {
  const ours = (useSuppressionLists().data ?? []).filter((list) => !list.builtIn);
  const [ontoId, setOnto] = useState<string | null>(null);
  const onto = ours.find(({ id }) => String(id) === ontoId);
  return (
    <Section head={`Suppress the ${count(one.strangers)} that we do not have`}>
      <Select
        label="Suppression list"
        placeholder="one of your own"
        data={named(ours)}
        value={ontoId}
        onChange={setOnto}
        mb="sm"
      />
      {onto ? (
        <FourSteps
          key={onto.id}
          expected={one.strangers}
          what="Suppress"
          change={
            <p>
              Their addresses and digests are put on {onto.name}: whoever comes in under one of them later gets nothing
              that it stops. The run can be undone.
            </p>
          }
          apply={(expect, reason) =>
            client.suppressStrangers({ id: one.id, suppressionListId: onto.id, expect, reason })
          }
        />
      ) : null}
    </Section>
  );
}

function TakeThemIn({ one }: { one: Reconciliation }) {
  const brand = useBrand();
  const go = useNavigate();
  const lists = (useLists().data ?? []).filter((list) => list.brandId === brand.id);
  const [listId, setList] = useState<string | null>(null);
  const takeIn = useAct(async (service, _: void) => {
    const begun = await service.takeStrangersIn({ id: one.id, listId: Number(listId) });
    void go(`/contacts/import/${begun.id}`);
  });
  return (
    <Section head="Take them in">
      <Select
        label="List that they join"
        placeholder="which list"
        data={named(lists)}
        value={listId}
        onChange={setList}
        mb="sm"
      />
      <ProblemNote error={takeIn.error} />
      <Button fullWidth disabled={listId === null || takeIn.isPending} onClick={() => takeIn.mutate()}>
        {takeIn.isPending ? 'Reading …' : 'Read them as an import'}
      </Button>
      <p className="second">
        A dry run first, with all checks of an import; nothing comes in before you say so. Digests stand for nobody that
        could be taken in.
      </p>
    </Section>
  );
}

/** Rows with the other columns of the list beside them. */
function FoundRows({ rows, none, columns }: { rows: ReconciledRow[]; none: string; columns: string[] }) {
  return (
    <div className={css.across}>
      <table className="rows folds">
        {columns.length === 0 ? null : (
          <thead>
            <tr>
              <th>Contact</th>
              <th>Name</th>
              <th className="figure">Stands</th>
              {columns.map((name, place) => (
                <th key={place}>their {name}</th>
              ))}
            </tr>
          </thead>
        )}
        <tbody>
          {rows.map((row) => (
            <tr key={row.place}>
              <td>
                {row.contactId === null ? row.given : <Door to={`/contacts/${row.contactId}`}>{row.address}</Door>}
              </td>
              <td className="second">{row.name}</td>
              <td className="figure second">{row.standing ?? none}</td>
              {columns.map((name, place) => (
                <td key={place} className={css.ofFile} data-head={name} title={row.others[place]}>
                  {row.others[place]}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
