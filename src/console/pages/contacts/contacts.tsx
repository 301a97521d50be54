import { Button, Checkbox, Menu, Select, TextInput, VisuallyHidden } from '@mantine/core';
import { IconChevronDown } from '@tabler/icons-react';
import { useState } from 'react';
import { Link } from 'react-router';
import type { ContactQuery } from '../../../shared/contract/contacts.ts';
import type { ContactListItem } from '../../../shared/contract/contacts.ts';
import {
  AMONG,
  CONTACT_ORDERS,
  DELIVERABILITIES,
  STAGES,
  type Among,
  type ContactOrder,
} from '../../../shared/words.ts';
import { useContacts } from '../../api/queries/contacts.ts';
import { useLists } from '../../api/queries/organisation.ts';
import { useSegments } from '../../api/queries/segments.ts';
import { useBrand } from '../../brand.tsx';
import { ContactDoor } from '../../components/contact-door.tsx';
import { ReasonMark, Stage } from '../../components/marks.tsx';
import { Await, Door, Finding, Section } from '../../components/page.tsx';
import { SearchField } from '../../components/search-field.tsx';
import { useNarrow } from '../../components/narrow.ts';
import { useListState, type ListState } from '../../components/list-state.ts';
import { count, day, moment, plural } from '../../components/words.ts';
import { Turn, usePages } from '../../components/turn.tsx';
import { Download } from './download.tsx';
import { ActOnFound } from './act-on-found.tsx';
import { Rows } from '../../components/rows.tsx';

const PAGE = 25;

/** The filter, as it stands in the address bar. */
function filterOf(of: ListState['of'], brandId: number): ContactQuery {
  return {
    brandId,
    part: of('part'),
    listId: of('list') ? Number(of('list')) : undefined,
    stage: of('stage') as ContactQuery['stage'],
    deliverability: of('deliverability') as ContactQuery['deliverability'],
    tag: of('tag'),
    where: of('where'),
    ofBrand: of('of') !== 'all' || undefined,
    archived: of('archived') === undefined ? undefined : of('archived') === 'yes',
    among: AMONG.find((one) => one === of('among')),
    since: of('since'),
  };
}

/** Contacts by filter; the filter lives in the address bar. */
export default function Contacts() {
  const brand = useBrand();
  const { of, set, clear } = useListState();
  const [picked, setPicked] = useState<string[]>([]);
  const filter = filterOf(of, brand.id);
  const pages = usePages();
  const order = CONTACT_ORDERS.find((one) => one === of('order')) ?? 'oldest';
  const contacts = useContacts({ ...filter, order, cursor: pages.cursor, limit: PAGE });
  const filtered = Boolean(
    filter.part ??
    filter.listId ??
    filter.stage ??
    filter.deliverability ??
    filter.tag ??
    filter.where ??
    filter.archived ??
    filter.among,
  );
  return (
    <>
      <Finding
        line={`Contacts, ${filter.ofBrand ? brand.name : 'whole organisation'}`}
        headline={
          contacts.data ? headline(contacts.data.total, filtered, filter.ofBrand ? brand.name : null) : 'Contacts'
        }
      >
        {filter.among ? (
          <>
            Who {AMONG_WORDS[filter.among]}
            {filter.since ? ` since ${moment(filter.since, brand.zone)}` : ''}.{' '}
            <Door onClick={clear}>Show all contacts</Door>
          </>
        ) : undefined}
      </Finding>
      <div style={{ marginTop: 24 }}>
        <Find filter={filter} set={set} />
        {picked.length > 0 ? (
          <ActOnFound key={picked.join()} who={{ addresses: picked }} total={picked.length} />
        ) : filtered && contacts.data && contacts.data.total > 0 ? (
          <ActOnFound key={JSON.stringify(filter)} who={{ filter }} total={contacts.data.total} all />
        ) : null}
        <Await of={contacts} rows={12}>
          {(page) =>
            page.items.length === 0 ? (
              <Section head="No contact matches">
                <Button onClick={clear}>Show all contacts</Button>
              </Section>
            ) : (
              <>
                <Found items={page.items} order={order} picked={picked} pick={setPicked} />
                <div className="row" style={{ justifyContent: 'space-between', marginTop: 12 }}>
                  <span className="row">
                    <span className="second">
                      {count(page.items.length)} of {count(page.total)}
                    </span>
                    <Order order={order} set={set} />
                  </span>
                  <span className="row">
                    <Download filter={filter} />
                    <Turn pages={pages} next={page.next} size={PAGE} />
                  </span>
                </div>
              </>
            )
          }
        </Await>
      </div>
    </>
  );
}

function headline(total: number, filtered: boolean, brand: string | null): string {
  if (filtered) return `${plural(total, 'contact', 'contacts')} ${total === 1 ? 'matches' : 'match'}`;
  return brand === null
    ? `${plural(total, 'contact', 'contacts')} of all brands, or of none`
    : `${plural(total, 'contact is', 'contacts are')}, or ${total === 1 ? 'was' : 'were'}, on a list of ${brand}`;
}

/** Whom a figure counts, as a sentence goes on after “who”. */
const AMONG_WORDS: Record<Among, string> = {
  'may-be-written': 'may be written to now',
  'held-back': 'is held back from everything now',
  'came-in': 'came in',
  unsubscribed: 'unsubscribed',
  'became-undeliverable': 'became undeliverable',
  complained: 'complained',
  'to-sunset': 'went to sunset',
  'from-sunset': 'came back from sunset',
  'reached-bounce-count': 'reached the bounce count',
};

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

function Order({ order, set }: { order: ContactOrder; set: ListState['set'] }) {
  return (
    <Select
      size="xs"
      w={190}
      aria-label="Order"
      data={ORDERS}
      value={order}
      onChange={(value) => set('order', value)}
      allowDeselect={false}
    />
  );
}

const PLACES = [
  ['/contacts/waiting', 'Waiting to confirm'],
  ['/contacts/addresses', 'Addresses'],
  ['/contacts/verifications', 'Verdicts'],
  ['/contacts/machines', 'Machines'],
  ['/contacts/cost', 'Archive and cost'],
  ['/contacts/reconcile', 'Reconcile'],
  ['/contacts/import', 'Import a file'],
] as const;

/** The other pages about contacts; on a phone one menu of them. */
function MorePlaces() {
  const narrow = useNarrow();
  if (!narrow)
    return (
      <span className="row">
        {PLACES.map(([to, name]) => (
          <Button key={to} component={Link} to={to}>
            {name}
          </Button>
        ))}
      </span>
    );
  return (
    <Menu position="bottom-end" withinPortal={false} withInitialFocusPlaceholder={false}>
      <Menu.Target>
        <Button rightSection={<IconChevronDown size={15} aria-hidden />}>More of contacts</Button>
      </Menu.Target>
      <Menu.Dropdown>
        {PLACES.map(([to, name]) => (
          <Menu.Item key={to} component={Link} to={to}>
            {name}
          </Menu.Item>
        ))}
      </Menu.Dropdown>
    </Menu>
  );
}

type Set = ListState['set'];

function Find({ filter, set }: { filter: ContactQuery; set: Set }) {
  const brand = useBrand();
  const lists = useLists();
  return (
    <Section head="Find" beside={<MorePlaces />}>
      <div className="row">
        <SearchField
          label="Part of an address or name"
          placeholder="part of an address or name"
          value={filter.part ?? ''}
          set={(value) => set('part', value)}
        />
        <Select
          aria-label="List"
          placeholder="any list"
          clearable
          data={(lists.data ?? [])
            .filter((list) => list.brandId === brand.id)
            .map((list) => ({ value: String(list.id), label: list.name }))}
          value={filter.listId === undefined ? null : String(filter.listId)}
          onChange={(value) => set('list', value)}
          w={180}
        />
        <Select
          aria-label="Stage"
          placeholder="any stage"
          clearable
          data={[...STAGES]}
          value={filter.stage ?? null}
          onChange={(value) => set('stage', value)}
          w={150}
        />
        <Select
          aria-label="Deliverability"
          placeholder="any deliverability"
          clearable
          data={[...DELIVERABILITIES]}
          value={filter.deliverability ?? null}
          onChange={(value) => set('deliverability', value)}
          w={180}
        />
        <Select
          aria-label="Archived or not"
          placeholder="archived or not"
          clearable
          data={[
            { value: 'yes', label: 'archived' },
            { value: 'no', label: 'not archived' },
          ]}
          value={filter.archived === undefined ? null : filter.archived ? 'yes' : 'no'}
          onChange={(value) => set('archived', value)}
          w={160}
        />
        <Select
          aria-label="Of which brand"
          allowDeselect={false}
          data={[
            { value: 'brand', label: 'on lists of this brand' },
            { value: 'all', label: 'whole organisation' },
          ]}
          value={filter.ofBrand ? 'brand' : 'all'}
          onChange={(value) => set('of', value === 'all' ? 'all' : null)}
          w={190}
        />
        <TextInput
          aria-label="Tag"
          placeholder="any tag"
          defaultValue={filter.tag}
          onKeyDown={(event) => event.key === 'Enter' && set('tag', event.currentTarget.value)}
          w={120}
        />
      </div>
      <Where where={filter.where} set={set} />
    </Section>
  );
}

/** Whom a condition matches, or a segment: the same language as everywhere. */
function Where({ where, set }: { where: string | undefined; set: Set }) {
  const brand = useBrand();
  const segments = useSegments(brand.id);
  return (
    <div className="row" style={{ marginTop: 8 }}>
      <TextInput
        key={where}
        aria-label="Condition"
        placeholder="or whom a condition matches: clicked in the last 30 days"
        defaultValue={where}
        onKeyDown={(event) => event.key === 'Enter' && set('where', event.currentTarget.value)}
        flex={1}
        miw={240}
        maw={640}
      />
      <Select
        aria-label="Segment"
        placeholder="or a segment"
        data={(segments.data ?? []).map(({ name }) => name)}
        value={null}
        onChange={(name) => name && set('where', `segment "${name}"`)}
        w={180}
      />
      {where ? (
        <Button component={Link} to={`/segments/new?condition=${encodeURIComponent(where)}`}>
          Open as a segment
        </Button>
      ) : null}
    </div>
  );
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
    <Rows
      heads={
        <>
          <th>
            <VisuallyHidden>Picked</VisuallyHidden>
          </th>
          <th>Contact</th>
          <th aria-sort={SORTED[order]}>Address</th>
          <th>Stage</th>
          <th>Receives</th>
          <th>Subscribed to</th>
          <th className="figure">Joined</th>
        </>
      }
    >
      {items.map((contact) => (
        <tr key={contact.id}>
          <td style={{ verticalAlign: 'middle' }}>
            <Checkbox
              aria-label={`Pick ${contact.address}`}
              checked={picked.includes(contact.address)}
              onChange={() => toggle(contact.address)}
            />
          </td>
          <td>
            <ContactDoor {...contact} archived={contact.archivedAt !== null} />
          </td>
          <td className="second">{contact.address}</td>
          <td>
            <Stage stage={contact.stage ?? 'new'} />
          </td>
          <td>
            {contact.deliverability === 'undeliverable' ? (
              <ReasonMark reason="undeliverable" />
            ) : (
              contact.deliverability
            )}
          </td>
          <td className="second">{contact.lists.join(', ')}</td>
          <td className="figure second">{day(contact.joinedAt, zone)}</td>
        </tr>
      ))}
    </Rows>
  );
}
