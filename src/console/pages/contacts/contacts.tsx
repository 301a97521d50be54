import { Button, Checkbox, Select, TextInput, VisuallyHidden } from '@mantine/core';
import { IconSearch } from '@tabler/icons-react';
import { useState } from 'react';
import { Link } from 'react-router';
import type { ContactQuery } from '../../../shared/api-permission.ts';
import type { ContactListItem } from '../../../shared/api.ts';
import { CONTACT_ORDERS, DELIVERABILITIES, STAGES, type ContactOrder } from '../../../shared/words.ts';
import { useContacts, useLists, useSegments } from '../../api/queries.ts';
import { useBrand } from '../../brand.tsx';
import { ReasonMark, Stage } from '../../components/marks.tsx';
import { Await, Door, Finding, Section } from '../../components/page.tsx';
import { useListState, type ListState } from '../../components/list-state.ts';
import { count, day, plural } from '../../components/words.ts';
import { Download } from './download.tsx';
import { ActOnFound } from './act-on-found.tsx';

/** Contacts by filter; the filter lives in the address bar. */
export default function Contacts() {
  const brand = useBrand();
  const { of, set, clear } = useListState();
  const [picked, setPicked] = useState<string[]>([]);
  const filter = {
    brandId: brand.id,
    part: of('part'),
    listId: of('list') ? Number(of('list')) : undefined,
    stage: of('stage'),
    deliverability: of('deliverability'),
    tag: of('tag'),
    where: of('where'),
  };
  const cursor = of('cursor');
  const order = CONTACT_ORDERS.find((one) => one === of('order')) ?? 'oldest';
  const limit = 25;
  const contacts = useContacts({ ...filter, order, cursor, limit });
  const filtered = Boolean(
    filter.part ?? filter.listId ?? filter.stage ?? filter.deliverability ?? filter.tag ?? filter.where,
  );
  return (
    <>
      <Finding line={`Contacts, ${brand.name}`} headline={contacts.data ? `${plural(contacts.data.total, 'contact', 'contacts')} ${filtered ? (contacts.data.total === 1 ? 'matches' : 'match') : 'are known here'}` : 'Contacts'} />
      <div style={{ marginTop: 24 }}>
        <Find filter={filter} set={set} />
        {picked.length > 0 ? <ActOnFound key={picked.join()} who={{ addresses: picked }} total={picked.length} />
          : filtered && contacts.data && contacts.data.total > 0 ? <ActOnFound key={JSON.stringify(filter)} who={{ filter }} total={contacts.data.total} all /> : null}
        <Await of={contacts} rows={12}>
          {(page) =>
            page.items.length === 0 ? (
              <Section head="No contact matches"><Button onClick={clear}>Show all contacts</Button></Section>
            ) : (
              <>
                <Found items={page.items} order={order} picked={picked} pick={setPicked} />
                <div className="row" style={{ justifyContent: 'space-between', marginTop: 12 }}>
                  <span className="row">
                    <span className="second">{count(page.items.length)} of {count(page.total)}</span>
                    <Select size="xs" w={190} aria-label="Order" data={ORDERS} value={order} onChange={(value) => set('order', value)} allowDeselect={false} />
                  </span>
                  <span className="row">
                    <Download filter={filter} />
                    {cursor ? <Button onClick={() => set('cursor', null)}>From the beginning</Button> : null}
                    {page.next ? <Button onClick={() => set('cursor', page.next)}>Next {limit}</Button> : null}
                  </span>
                </div>
              </>
            )
          }
        </Await>
      </div>
    </>
  ); // prettier-ignore
}

const ORDERS: { value: ContactOrder; label: string }[] = [
  { value: 'oldest', label: 'as they came in' },
  { value: 'newest', label: 'the latest first' },
  { value: 'a-to-z', label: 'by address' },
  { value: 'z-to-a', label: 'by address, from z' },
];
const SORTED: Partial<Record<ContactOrder, 'ascending' | 'descending'>> = {
  'a-to-z': 'ascending',
  'z-to-a': 'descending',
};

type Set = ListState['set'];

function Find({ filter, set }: { filter: ContactQuery; set: Set }) {
  const brand = useBrand();
  const lists = useLists();
  return (
    <Section head="Find" beside={<span className="row"><Button component={Link} to="/contacts/waiting">Waiting to confirm</Button><Button component={Link} to="/contacts/addresses">Addresses</Button><Button component={Link} to="/contacts/verifications">Verdicts</Button><Button component={Link} to="/contacts/machines">Machines</Button><Button component={Link} to="/contacts/cost">Archive and cost</Button><Button component={Link} to="/contacts/reconcile">Reconcile</Button><Button component={Link} to="/contacts/import">Import a file</Button></span>}>
      <div className="row">
        <TextInput aria-label="Part of an address or name" placeholder="part of an address or name" leftSection={<IconSearch size={16} aria-hidden />} defaultValue={filter.part} onKeyDown={(event) => event.key === 'Enter' && set('part', event.currentTarget.value)} w={260} />
        <Select aria-label="List" placeholder="any list" clearable data={(lists.data ?? []).filter((list) => list.brandId === brand.id).map((list) => ({ value: String(list.id), label: list.name }))} value={filter.listId === undefined ? null : String(filter.listId)} onChange={(value) => set('list', value)} w={180} />
        <Select aria-label="Stage" placeholder="any stage" clearable data={[...STAGES]} value={filter.stage ?? null} onChange={(value) => set('stage', value)} w={150} />
        <Select aria-label="Deliverability" placeholder="any deliverability" clearable data={[...DELIVERABILITIES]} value={filter.deliverability ?? null} onChange={(value) => set('deliverability', value)} w={180} />
        <TextInput aria-label="Tag" placeholder="any tag" defaultValue={filter.tag} onKeyDown={(event) => event.key === 'Enter' && set('tag', event.currentTarget.value)} w={120} />
      </div>
      <Where where={filter.where} set={set} />
    </Section>
  ); // prettier-ignore
}

/** Whom a condition matches, or a segment: the same language as everywhere. */
function Where({ where, set }: { where: string | undefined; set: Set }) {
  const brand = useBrand();
  const segments = useSegments(brand.id);
  return (
    <div className="row" style={{ marginTop: 8 }}>
      <TextInput key={where} aria-label="Condition" placeholder="or whom a condition matches: clicked in the last 30 days" defaultValue={where} onKeyDown={(event) => event.key === 'Enter' && set('where', event.currentTarget.value)} flex={1} miw={240} maw={640} />
      <Select aria-label="Segment" placeholder="or a segment" data={(segments.data ?? []).map(({ name }) => name)} value={null} onChange={(name) => name && set('where', `segment "${name}"`)} w={180} />
      {where ? <Button component={Link} to={`/segments/new?condition=${encodeURIComponent(where)}`}>Open as a segment</Button> : null}
    </div>
  ); // prettier-ignore
}

/** What was found, each row to be picked for an act. */
function Found({
  items,
  order,
  picked,
  pick,
}: {
  items: ContactListItem[];
  order: ContactOrder;
  picked: string[];
  pick: (addresses: string[]) => void;
}) {
  const { zone } = useBrand();
  const toggle = (address: string): void =>
    pick(picked.includes(address) ? picked.filter((one) => one !== address) : [...picked, address]);
  return (
    <table className="rows folds">
      <thead>
        <tr>
          <th><VisuallyHidden>Picked</VisuallyHidden></th>
          <th>Contact</th>
          <th aria-sort={SORTED[order]}>Address</th>
          <th>Stage</th>
          <th>Receives</th>
          <th>Subscribed to</th>
          <th className="figure">Joined</th>
        </tr>
      </thead>
      <tbody>
        {items.map((contact) => (
          <tr key={contact.id}>
                <td style={{ verticalAlign: 'middle' }}><Checkbox aria-label={`Pick ${contact.address}`} checked={picked.includes(contact.address)} onChange={() => toggle(contact.address)} /></td>
            <td><Door to={`/contacts/${contact.id}`}>{contact.name ?? contact.address}</Door></td>
            <td className="second">{contact.address}</td>
            <td><Stage stage={contact.stage ?? 'new'} /></td>
            <td>{contact.deliverability === 'undeliverable' ? <ReasonMark reason="undeliverable" /> : contact.deliverability}</td>
            <td className="second">{contact.lists.join(', ')}</td>
            <td className="figure second">{day(contact.joinedAt, zone)}</td>
          </tr>
        ))}
      </tbody>
    </table>
  ); // prettier-ignore
}
