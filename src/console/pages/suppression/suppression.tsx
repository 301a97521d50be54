import type { Reach, Scope } from '../../../shared/words.ts';
import { Button, Checkbox, SegmentedControl, Select, TextInput, VisuallyHidden } from '@mantine/core';
import { IconAt, IconHash, IconMailOff, IconWorld, IconCheck } from '@tabler/icons-react';
import { useRef, useState } from 'react';
import { useSearchParams } from 'react-router';
import type { EntriesQuery, Entry, Stopped, SuppressionList } from '../../../shared/contract/suppression.ts';
import { useCheck } from '../../api/queries/contacts.ts';
import { useLists } from '../../api/queries/organisation.ts';
import { useEntries, useStopped, useSuppressionLists } from '../../api/queries/suppression.ts';
import { useAct } from '../../api/use-act.ts';
import { usePaused } from '../../api/use-paused.ts';
import { useBrand } from '../../brand.tsx';
import { FormDialog } from '../../components/dialog.tsx';
import { ReachMark } from '../../components/marks.tsx';
import { Await, Door, Finding, Leaf, ProblemNote, Section } from '../../components/page.tsx';
import { SearchField } from '../../components/search-field.tsx';
import { useListState } from '../../components/list-state.ts';
import { count, day, plural } from '../../components/words.ts';
import { Turn, usePages } from '../../components/turn.tsx';
import { LongField, WhyField } from '../../components/long-field.tsx';
import { Rows } from '../../components/rows.tsx';
import { DoOrNot } from '../../components/form.tsx';
import css from './suppression.module.css';

/** The lists by who fills them at the left; the question "may we write to" and the entries at the right. */
export default function Suppression() {
  const brand = useBrand();
  const ofBrand = (useLists().data ?? []).filter(({ brandId }) => brandId === brand.id);
  return (
    <Await of={useSuppressionLists()}>
      {(all) => {
        const lists = all.filter(
          ({ scope, scopeId }) =>
            scope === 'organisation' ||
            (scope === 'brand' ? scopeId === brand.id : ofBrand.some(({ id }) => id === scopeId)),
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
  const entries = useRef<HTMLDivElement>(null);
  // On a phone the entries stand below the lists: what was tapped comes into view.
  const choose = (id: number): void => {
    setParams({ list: String(id) });
    if (entries.current && entries.current.getBoundingClientRect().top > window.innerHeight / 2)
      entries.current.scrollIntoView();
  };
  const group = (builtIn: boolean) => lists.filter((list) => (list.builtIn !== null) === builtIn);
  const entry = (list: SuppressionList) => (
    <button
      key={list.id}
      type="button"
      className={list.id === chosen?.id ? `${css.listEntry} open` : css.listEntry}
      aria-pressed={list.id === chosen?.id}
      onClick={() => choose(list.id)}
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
      <div ref={entries}>{chosen ? <Entries key={chosen.id} list={chosen} /> : null}</div>
    </Leaf>
  );
}

function MayWeWrite() {
  const [text, setText] = useState('');
  const [asked, setAsked] = useState('');
  return (
    <section
      className="section"
      style={{ display: 'grid', gridTemplateColumns: 'repeat(auto-fit, minmax(260px, 1fr))', gap: 24 }}
    >
      <form
        onSubmit={(event) => {
          event.preventDefault();
          setAsked(text.trim());
        }}
      >
        <TextInput
          label="May we write to"
          description="One address; press Enter."
          value={text}
          onChange={(event) => setText(event.currentTarget.value)}
        />
      </form>
      <div aria-live="polite">{asked === '' ? null : <Verdict address={asked} />}</div>
    </section>
  );
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
  const { of, set } = useListState();
  const [standing, part] = [
    (of('standing') ?? 'in-effect') as NonNullable<EntriesQuery['standing']>,
    (of('part') ?? '').toLowerCase(),
  ];
  const pages = usePages();
  const order = of('order') === 'oldest' ? 'oldest' : 'newest';
  const [adding, setAdding] = useState(false);
  const [picked, setPicked] = useState<Entry[]>([]);
  const toggle = (entry: Entry): void =>
    setPicked((was) =>
      was.some(({ id }) => id === entry.id) ? was.filter(({ id }) => id !== entry.id) : [...was, entry],
    );
  const entries = useEntries(list.id, { standing, part, order, cursor: pages.cursor, limit: 15 });
  return (
    <Section
      head={`${list.name}: ${count(list.inEffect)} in effect, ${count(list.ended)} lifted or ended`}
      beside={`stops ${list.reach}, ${list.scopeName ?? 'whole organisation'}`}
    >
      <div className="row" style={{ marginBottom: 8 }}>
        <EntriesFilter part={of('part') ?? ''} standing={standing} order={order} set={set} />
        <span style={{ marginLeft: 'auto' }} className="row">
          <a
            className="plain"
            href={`/api/v1/suppression-lists/${list.id}/entries.csv?standing=${standing}&part=${encodeURIComponent(part)}`}
          >
            CSV of these
          </a>
          {list.builtIn === null ? <Button onClick={() => setAdding(!adding)}>Add entries</Button> : null}
        </span>
      </div>
      {adding ? <AddEntries list={list} /> : null}
      {picked.length > 0 ? (
        <LiftEntries key={picked.map(({ id }) => id).join()} entries={picked} done={() => setPicked([])} />
      ) : null}
      <Await of={entries}>
        {(page) => (
          <>
            {page.items.length === 0 ? <p className="second">No entry {part === '' ? 'yet' : 'matches'}.</p> : null}
            <EntriesTable entries={page.items} picked={picked} toggle={toggle} />
            <div className="row" style={{ justifyContent: 'flex-end', marginTop: 12 }}>
              <Turn pages={pages} next={page.next} size={15} />
            </div>
          </>
        )}
      </Await>
    </Section>
  );
}

function EntriesFilter({
  part,
  standing,
  order,
  set,
}: {
  part: string;
  standing: NonNullable<EntriesQuery['standing']>;
  order: 'oldest' | 'newest';
  set: ReturnType<typeof useListState>['set'];
}) {
  return (
    <>
      <SearchField
        label="Part of an entry"
        placeholder="part of an address"
        value={part}
        set={(value) => set('part', value)}
      />
      <SegmentedControl
        size="xs"
        color="var(--av-ink)"
        aria-label="Which entries"
        data={[
          { value: 'in-effect', label: 'In effect' },
          { value: 'past', label: 'Past' },
          { value: 'all', label: 'Both' },
        ]}
        value={standing}
        onChange={(value) => set('standing', value)}
      />
      <Select
        size="xs"
        w={150}
        aria-label="Order"
        data={[
          { value: 'newest', label: 'the latest first' },
          { value: 'oldest', label: 'as they came in' },
        ]}
        value={order}
        onChange={(value) => set('order', value)}
        allowDeselect={false}
      />
    </>
  );
}

function EntriesTable({
  entries,
  picked,
  toggle,
}: {
  entries: Entry[];
  picked: Entry[];
  toggle: (entry: Entry) => void;
}) {
  const { zone } = useBrand();
  return (
    <Rows
      heads={
        <>
          <th>
            <VisuallyHidden>Picked</VisuallyHidden>
          </th>
          <th>Entry</th>
          <th>Reason</th>
          <th>Source</th>
          <th className="figure">Since</th>
          <th className="figure">Until</th>
        </>
      }
    >
      {entries.map((entry) => (
        <EntryRow
          key={entry.id}
          entry={entry}
          zone={zone}
          isPicked={picked.some(({ id }) => id === entry.id)}
          toggle={() => toggle(entry)}
        />
      ))}
    </Rows>
  );
}

function EntryRow({
  entry,
  zone,
  isPicked,
  toggle,
}: {
  entry: Entry;
  zone: string;
  isPicked: boolean;
  toggle: () => void;
}) {
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
      <td style={{ verticalAlign: 'middle' }}>
        {past || entry.notLiftable !== null ? null : (
          <Checkbox aria-label={`Pick ${entry.value}`} checked={isPicked} onChange={toggle} />
        )}
      </td>
      <td>
        <span className="mark">
          <Kind size={15} aria-label={entry.kind} />
          <span className="value breaks">
            {entry.kind === 'hash' ? `sha-256 ${entry.value.slice(0, 4)}…${entry.value.slice(-4)}` : entry.value}
          </span>
        </span>
      </td>
      <td className="second">
        {entry.reason}
        {entry.notLiftable !== null && !past ? ` (${entry.notLiftable})` : ''}
        {entry.liftReason ? `; lifted by ${entry.liftedBy}: ${entry.liftReason}` : ''}
      </td>
      <td className="second">{entry.source}</td>
      <td className="figure second">{day(entry.enteredAt, zone)}</td>
      <td className="figure second">{until}</td>
    </tr>
  );
}

/** Lifts the picked entries, with a reason; of domains and digests it says first whom they stop. */
function LiftEntries({ entries, done }: { entries: Entry[]; done: () => void }) {
  const [reason, setReason] = useState('');
  const stopped = useStopped(entries.map(({ value }) => value));
  const lift = useAct(async (client, why: string) => {
    const lifted = await client.lift({ entryIds: entries.map(({ id }) => id), reason: why });
    done();
    return lifted;
  });
  return (
    <div className="sheet stack" style={{ marginBottom: 16 }}>
      <strong>Lift {plural(entries.length, 'entry', 'entries')}</strong>
      <span className="second">
        {entries
          .slice(0, 8)
          .map(({ value }) => value)
          .join(', ')}
        {entries.length > 8 ? ` and ${count(entries.length - 8)} more` : ''}
      </span>
      {stopped.data ? (
        <span>
          {stopped.data.contacts === 0
            ? 'No contact is stopped by them.'
            : `${plural(stopped.data.contacts, 'contact is', 'contacts are')} stopped by them; other entries and marks go on stopping who has any.`}
        </span>
      ) : null}
      <WhyField label="Why may we write again?" value={reason} change={setReason} />
      <ProblemNote error={stopped.error ?? lift.error} />
      <DoOrNot
        what={<>Lift {plural(entries.length, 'entry', 'entries')}</>}
        ready={reason.trim() !== '' && !lift.isPending}
        act={() => lift.mutate(reason)}
        leave={done}
      />
    </div>
  );
}

const linesOf = (values: string): string[] => values.split('\n').filter((line) => line.trim() !== '');
const MOST_COUNTED = 10_000;

/** Whom the entries would stop, domains by themselves: one line can stop thousands. */
function WouldStop({ stopped }: { stopped: Stopped }) {
  const domains = stopped.entries.filter(({ kind }) => kind === 'domain');
  return (
    <p role="status">
      {stopped.contacts === 0
        ? 'No contact of ours would be stopped'
        : `${plural(stopped.contacts, 'contact', 'contacts')} of ours would be stopped`}
      {domains.length > 0
        ? `: ${domains.map(({ value, contacts }) => `${count(contacts)} at ${value}`).join(', ')}`
        : ''}
      .
    </p>
  );
}

function AddEntries({ list }: { list: SuppressionList }) {
  const [values, setValues] = useState('');
  const [reason, setReason] = useState('');
  const add = useAct((client, _: void) => client.addEntries({ id: list.id, values: linesOf(values), reason }));
  const done = add.data;
  const [asked, isAsked] = usePaused(values);
  const stopped = useStopped(linesOf(asked).slice(0, MOST_COUNTED));
  return (
    <div className="sheet stack" style={{ marginBottom: 16 }}>
      <LongField
        label="Addresses, domains or SHA-256, one a line"
        description="A domain that begins with a dot takes in its subdomains."
        value={values}
        change={setValues}
        minRows={3}
        maxRows={10}
      />
      {stopped.data && linesOf(asked).length > 0 ? <WouldStop stopped={stopped.data} /> : null}
      <TextInput label="Reason" value={reason} onChange={(event) => setReason(event.currentTarget.value)} />
      <ProblemNote error={add.error ?? stopped.error} />
      {done ? (
        <p role="status">
          {count(done.entered)} entered, {count(done.known)} stood there already.{' '}
          <Door to={`/runs/${done.runId}`}>Run {done.runId}</Door>
          {done.refused.map((row) => ` Line ${row.row}, “${row.value}”, is ${row.detail}.`).join('')}
        </p>
      ) : null}
      <Button
        disabled={values.trim() === '' || reason.trim() === '' || !isAsked || stopped.isPending || add.isPending}
        onClick={() => add.mutate()}
      >
        Enter them on {list.name}
      </Button>
    </div>
  );
}

function NewList({ opened, onClose }: { opened: boolean; onClose: () => void }) {
  const brand = useBrand();
  const [name, setName] = useState('');
  const lists = (useLists().data ?? []).filter(({ brandId }) => brandId === brand.id);
  // `list 7` is one list.
  const [where, setWhere] = useState('organisation');
  const [scope, listId] = where.split(' ') as [Scope, string | undefined];
  const [reach, setReach] = useState<Reach>('everything');
  const create = useAct((client, _: void) =>
    client.createSuppressionList({
      name,
      scope,
      scopeId: listId ? Number(listId) : scope === 'brand' ? brand.id : null,
      reach,
    }),
  );
  return (
    <FormDialog
      opened={opened}
      onClose={onClose}
      title="New suppression list"
      send={() => create.mutate(undefined, { onSuccess: onClose })}
    >
      <TextInput
        label="Name"
        required
        value={name}
        onChange={(event) => setName(event.currentTarget.value)}
        data-autofocus
      />
      <Select
        label="Where it applies"
        data={[
          { value: 'organisation', label: 'the whole organisation' },
          { value: 'brand', label: `all of ${brand.name}` },
          ...lists.map(({ id, name: list }) => ({ value: `list ${id}`, label: `${list} alone` })),
        ]}
        value={where}
        onChange={(value) => value && setWhere(value)}
        allowDeselect={false}
      />
      <Select
        label="What it stops"
        data={['everything', 'marketing']}
        value={reach}
        onChange={(value) => setReach(value!)}
        allowDeselect={false}
      />
      <ProblemNote error={create.error} />
      <button type="submit" className="main-button" disabled={name.trim() === '' || create.isPending}>
        Create the list
      </button>
    </FormDialog>
  );
}
