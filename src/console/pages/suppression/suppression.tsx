import { Button, Modal, SegmentedControl, Select, Textarea, TextInput } from '@mantine/core';
import { IconAt, IconHash, IconMailOff, IconSearch, IconWorld, IconCheck } from '@tabler/icons-react';
import { useState } from 'react';
import { useSearchParams } from 'react-router';
import type { Entry, SuppressionList } from '../../../shared/api.ts';
import { useCheck, useEntries, useSuppressionLists } from '../../api/queries.ts';
import { useAct } from '../../api/use-act.ts';
import { useBrand } from '../../brand.tsx';
import { ReachMark } from '../../components/marks.tsx';
import { Await, Door, Finding, Leaf, ProblemNote, Section } from '../../components/page.tsx';
import { useListState } from '../../components/list-state.ts';
import { count, day, plural } from '../../components/words.ts';

/** The lists by who fills them at the left; the question "may we write to" and the entries at the right. */
export default function Suppression() {
  const brand = useBrand();
  return (
    <Await of={useSuppressionLists()}>
      {(all) => {
        const lists = all.filter(
          (list) => list.scope === 'organisation' || list.scopeName === brand.name || list.scope === 'list',
        );
        const inEffect = lists.reduce((sum, list) => sum + list.inEffect, 0);
        const everything = lists
          .filter((list) => list.reach === 'everything')
          .reduce((sum, list) => sum + list.inEffect, 0);
        return (
          <>
            <Finding
              line={`Suppression, whole organisation and ${brand.name}`}
              headline={`${plural(inEffect, 'entry keeps', 'entries keep')} mail from going out; ${count(everything)} of them stop everything`}
            >
              Every campaign leaves out all of them; there is no way to send without.
            </Finding>
            <Lists lists={lists} />
          </>
        );
      }}
    </Await>
  );
}

function Lists({ lists }: { lists: SuppressionList[] }) {
  const [params, setParams] = useSearchParams();
  const [making, setMaking] = useState(false);
  const chosen =
    lists.find((list) => list.id === Number(params.get('list'))) ??
    lists.find((list) => list.builtIn === null) ??
    lists[0];
  const group = (builtIn: boolean) => lists.filter((list) => (list.builtIn !== null) === builtIn);
  const entry = (list: SuppressionList) => (
    <button
      key={list.id}
      type="button"
      className={list.id === chosen?.id ? 'list-entry open' : 'list-entry'}
      aria-pressed={list.id === chosen?.id}
      onClick={() => setParams({ list: String(list.id) })}
    >
      <span className="row">
        <strong>{list.name}</strong>
        <span>{count(list.inEffect)}</span>
      </span>
      <span className="second">
        <ReachMark reach={list.reach} />
        {list.reach}, {list.scopeName ?? 'organisation'}
      </span>
    </button>
  );
  return (
    <Leaf
      mirrored
      margin={
        <>
          <Section head="Filled by rules">{group(true).map(entry)}</Section>
          <Section head="Kept by people">
            {group(false).map(entry)}
            <Button mt="sm" ml={12} onClick={() => setMaking(true)}>
              New list
            </Button>
            <NewList opened={making} onClose={() => setMaking(false)} />
          </Section>
        </>
      }
    >
      <MayWeWrite />
      {chosen ? <Entries key={chosen.id} list={chosen} /> : null}
    </Leaf>
  );
}

function MayWeWrite() {
  const [text, setText] = useState('');
  const [asked, setAsked] = useState('');
  return (
    <section className="section" style={{ display: 'grid', gridTemplateColumns: 'repeat(auto-fit, minmax(260px, 1fr))', gap: 24 }}>
      <form onSubmit={(event) => { event.preventDefault(); setAsked(text.trim()); }}>
        <TextInput label="May we write to" description="One address; press Enter." value={text} onChange={(event) => setText(event.currentTarget.value)} />
      </form>
      <div aria-live="polite">{asked === '' ? null : <Verdict address={asked} />}</div>
    </section>
  ); // prettier-ignore
}

function Verdict({ address }: { address: string }) {
  return (
    <Await of={useCheck(address)} rows={2}>
      {(check) => {
        const stopped = check.brands.filter((verdict) => !verdict.eligible);
        const nothing =
          stopped.length > 0 &&
          stopped.every((verdict) => verdict.serviceReasons.length > 0) &&
          stopped.length === check.brands.length;
        return (
          <div className="row" style={{ alignItems: 'flex-start', flexWrap: 'nowrap' }}>
            {stopped.length > 0 ? (
              <IconMailOff color="var(--av-stop-mark)" style={{ flex: 'none' }} aria-hidden />
            ) : (
              <IconCheck style={{ flex: 'none' }} aria-hidden />
            )}
            <div>
              <h2>
                {nothing
                  ? 'No, nothing at all.'
                  : stopped.length === 0
                    ? `Yes, for ${check.brands.map((one) => one.brandName).join(' and ')}.`
                    : `Not for ${stopped.map((one) => one.brandName).join(' and ')}.`}
              </h2>
              {stopped.map((verdict) => (
                <p key={verdict.brandId} className="second">
                  {verdict.brandName}: {verdict.because.map((one) => one.text).join('; ')}.
                </p>
              ))}
              {check.contact ? (
                <Door to={`/contacts/${check.contact.id}`}>{check.contact.name ?? check.address}</Door>
              ) : (
                <span className="second">No contact has this address.</span>
              )}
            </div>
          </div>
        );
      }}
    </Await>
  );
}

const KINDS = { address: IconAt, domain: IconWorld, hash: IconHash };

function Entries({ list }: { list: SuppressionList }) {
  const { zone } = useBrand();
  const { of, set } = useListState();
  const [standing, part, cursor] = [of('standing') ?? 'in-effect', of('part') ?? '', of('cursor')];
  const order = of('order') === 'oldest' ? 'oldest' : 'newest';
  const [adding, setAdding] = useState(false);
  const entries = useEntries(list.id, { standing, part, order, cursor, limit: 15 });
  return (
    <Section head={`${list.name}: ${count(list.inEffect)} in effect, ${count(list.ended)} lifted or ended`} beside={`stops ${list.reach}, ${list.scopeName ?? 'whole organisation'}`}>
      <div className="row" style={{ marginBottom: 8 }}>
        <TextInput aria-label="Part of an entry" placeholder="part of an address" leftSection={<IconSearch size={16} aria-hidden />} value={part} onChange={(event) => set('part', event.currentTarget.value.toLowerCase())} />
        <SegmentedControl size="xs" color="var(--av-ink)" aria-label="Which entries" data={[{ value: 'in-effect', label: 'In effect' }, { value: 'past', label: 'Past' }, { value: 'all', label: 'Both' }]} value={standing} onChange={(value) => set('standing', value)} />
        <Select size="xs" w={150} aria-label="Order" data={[{ value: 'newest', label: 'the latest first' }, { value: 'oldest', label: 'as they came in' }]} value={order} onChange={(value) => set('order', value)} allowDeselect={false} />
        <span style={{ marginLeft: 'auto' }} className="row">
          <a className="plain" href={`/api/v1/suppression-lists/${list.id}/entries.csv?standing=${standing}&part=${encodeURIComponent(part)}`}>CSV of these</a>
          {list.builtIn === null ? <Button onClick={() => setAdding(!adding)}>Add entries</Button> : null}
        </span>
      </div>
      {adding ? <AddEntries list={list} /> : null}
      <Await of={entries}>
        {(page) => (
          <>
            {page.items.length === 0 ? <p className="second">No entry {part === '' ? 'yet' : 'matches'}.</p> : null}
            <table className="rows folds">
              <thead>
                <tr><th>Entry</th><th>Reason</th><th>Source</th><th className="figure">Since</th><th className="figure">Until</th></tr>
              </thead>
              <tbody>{page.items.map((entry) => <EntryRow key={entry.id} entry={entry} zone={zone} />)}</tbody>
            </table>
            <div className="row" style={{ justifyContent: 'flex-end', marginTop: 12 }}>
              {cursor ? <Button onClick={() => set('cursor', null)}>From the beginning</Button> : null}
              {page.next ? <Button onClick={() => set('cursor', page.next)}>Next fifteen</Button> : null}
            </div>
          </>
        )}
      </Await>
    </Section>
  ); // prettier-ignore
}

function EntryRow({ entry, zone }: { entry: Entry; zone: string }) {
  const Kind = KINDS[entry.kind];
  const [now] = useState(() => Date.now());
  const past = entry.liftedAt !== null || (entry.expiresAt !== null && Date.parse(entry.expiresAt) < now);
  const until = entry.liftedAt
    ? `lifted ${day(entry.liftedAt, zone)}`
    : entry.expiresAt
      ? day(entry.expiresAt, zone)
      : 'no end';
  return (
    <tr className={past ? 'ended' : ''}>
      <td>
        <span className="mark">
          <Kind size={15} aria-label={entry.kind} />
          <span className="value" style={{ overflowWrap: 'anywhere' }}>{entry.kind === 'hash' ? `sha-256 ${entry.value.slice(0, 4)}…${entry.value.slice(-4)}` : entry.value}</span>
        </span>
      </td>
      <td className="second">{entry.reason}{entry.liftReason ? `; lifted by ${entry.liftedBy}: ${entry.liftReason}` : ''}</td>
      <td className="second">{entry.source}</td>
      <td className="figure second">{day(entry.enteredAt, zone)}</td>
      <td className="figure second">{until}</td>
    </tr>
  ); // prettier-ignore
}

function AddEntries({ list }: { list: SuppressionList }) {
  const [values, setValues] = useState('');
  const [reason, setReason] = useState('');
  const add = useAct((client, _: void) =>
    client.addEntries(
      list.id,
      values.split('\n').filter((line) => line.trim() !== ''),
      reason,
    ),
  );
  const done = add.data;
  return (
    <div className="sheet stack" style={{ marginBottom: 16 }}>
      <Textarea label="Addresses, domains or SHA-256, one a line" description="A domain that begins with a dot takes in its subdomains." value={values} onChange={(event) => setValues(event.currentTarget.value)} autosize minRows={3} maxRows={10} />
      <TextInput label="Reason" value={reason} onChange={(event) => setReason(event.currentTarget.value)} />
      <ProblemNote error={add.error} />
      {done ? (
        <p role="status">
          {count(done.entered)} entered, {count(done.known)} stood there already. <Door to={`/runs/${done.runId}`}>Run {done.runId}</Door>
          {done.refused.map((row) => ` Line ${row.row}, “${row.value}”, is ${row.detail}.`).join('')}
        </p>
      ) : null}
      <Button disabled={values.trim() === '' || reason.trim() === '' || add.isPending} onClick={() => add.mutate()}>Enter them on {list.name}</Button>
    </div>
  ); // prettier-ignore
}

function NewList({ opened, onClose }: { opened: boolean; onClose: () => void }) {
  const brand = useBrand();
  const [name, setName] = useState('');
  const [scope, setScope] = useState<string | null>('organisation');
  const [reach, setReach] = useState<string | null>('everything');
  const create = useAct((client, _: void) =>
    client.createSuppressionList({ name, scope: scope!, scopeId: scope === 'brand' ? brand.id : null, reach: reach! }),
  );
  return (
    <Modal opened={opened} onClose={onClose} title="New suppression list" closeButtonProps={{ 'aria-label': 'Close' }}>
      <form className="stack" onSubmit={(event) => { event.preventDefault(); create.mutate(undefined, { onSuccess: onClose }); }}>
        <TextInput label="Name" required value={name} onChange={(event) => setName(event.currentTarget.value)} data-autofocus />
        <Select label="Where it applies" data={[{ value: 'organisation', label: 'the whole organisation' }, { value: 'brand', label: brand.name }]} value={scope} onChange={setScope} allowDeselect={false} />
        <Select label="What it stops" data={['everything', 'marketing']} value={reach} onChange={setReach} allowDeselect={false} />
        <ProblemNote error={create.error} />
        <button type="submit" className="main-button" disabled={name.trim() === '' || create.isPending}>Create the list</button>
      </form>
    </Modal>
  ); // prettier-ignore
}
