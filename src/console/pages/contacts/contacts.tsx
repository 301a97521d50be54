import { Button, Checkbox, Menu, Select, TextInput, VisuallyHidden, type SelectProps } from '@mantine/core';
import { IconChevronDown } from '@tabler/icons-react';
import { useState, type ReactNode } from 'react';
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

/** Whether anything but the brand says whom. */
const isNarrowed = ({ part, listId, stage, deliverability, tag, where, archived, among }: ContactQuery): boolean =>
  Boolean(part ?? listId ?? stage ?? deliverability ?? tag ?? where ?? archived ?? among);

/** Contacts by filter; the filter lives in the address bar. */
export default function Contacts() {
  const brand = useBrand();
  const { of, set, clear } = useListState();
  const [picked, setPicked] = useState<string[]>([]);
  const filter = filterOf(of, brand.id);
  const pages = usePages();
  const order = CONTACT_ORDERS.find((one) => one === of('order')) ?? 'oldest';
  const contacts = useContacts({ ...filter, order, cursor: pages.cursor, limit: PAGE });
  const filtered = isNarrowed(filter);
  return (
    <>
      <Finding
        line={`Contacts, ${filter.ofBrand ? brand.name : 'whole organisation'}`}
        headline={
          contacts.data ? headline(contacts.data.total, filtered, filter.ofBrand ? brand.name : null) : 'Contacts'
        }
      >
        {filter.among ? <WhoAmong who={filter.among} since={filter.since} clear={clear} /> : undefined}
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
                <Below
                  shown={`${count(page.items.length)} of ${count(page.total)}`}
                  order={<Order order={order} set={set} />}
                >
                  <Download filter={filter} />
                  <Turn pages={pages} next={page.next} size={PAGE} />
                </Below>
              </>
            )
          }
        </Await>
      </div>
    </>
  );
}

/** Below the rows: how many of how many and in which order, and on the other side what goes on from here. */
function Below({ shown, order, children }: { shown: string; order: ReactNode; children: ReactNode }) {
  return (
    <div className="row apart" style={{ marginTop: 12 }}>
      <span className="row">
        <span className="second">{shown}</span>
        {order}
      </span>
      <span className="row">{children}</span>
    </div>
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

/** What the figure counts that led here. */
function WhoAmong({ who, since, clear }: { who: Among; since: string | undefined; clear: () => void }) {
  const { zone } = useBrand();
  return (
    <>
      Who {AMONG_WORDS[who]}
      {since ? ` since ${moment(since, zone)}` : ''}. <Door onClick={clear}>Show all contacts</Door>
    </>
  );
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

const ARCHIVED_OR_NOT = [
  { value: 'yes', label: 'archived' },
  { value: 'no', label: 'not archived' },
];
const OF_WHICH_BRAND = [
  { value: 'brand', label: 'on lists of this brand' },
  { value: 'all', label: 'whole organisation' },
];

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
        <Choice
          of="List"
          none="any list"
          data={(lists.data ?? [])
            .filter((list) => list.brandId === brand.id)
            .map((list) => ({ value: String(list.id), label: list.name }))}
          value={filter.listId === undefined ? undefined : String(filter.listId)}
          choose={(value) => set('list', value)}
        />
        <Choice
          of="Stage"
          none="any stage"
          data={[...STAGES]}
          value={filter.stage}
          choose={(value) => set('stage', value)}
          w={150}
        />
        <Choice
          of="Deliverability"
          none="any deliverability"
          data={[...DELIVERABILITIES]}
          value={filter.deliverability}
          choose={(value) => set('deliverability', value)}
        />
        <Choice
          of="Archived or not"
          none="archived or not"
          data={ARCHIVED_OR_NOT}
          value={filter.archived === undefined ? undefined : filter.archived ? 'yes' : 'no'}
          choose={(value) => set('archived', value)}
          w={160}
        />
        <Choice
          of="Of which brand"
          data={OF_WHICH_BRAND}
          value={filter.ofBrand ? 'brand' : 'all'}
          choose={(value) => set('of', value === 'all' ? 'all' : null)}
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

/** One thing to choose by; where there is a word for none of it, the choice can be taken back. */
function Choice({
  of,
  none,
  value,
  choose,
  ...field
}: {
  of: string;
  none?: string;
  data: SelectProps['data'];
  value: string | undefined;
  choose: (value: string | null) => void;
  w?: number;
}) {
  return (
    <Select
      aria-label={of}
      placeholder={none}
      clearable={none !== undefined}
      allowDeselect={none !== undefined}
      value={value ?? null}
      onChange={choose}
      w={180}
      {...field}
    />
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
        <FoundRow
          key={contact.id}
          contact={contact}
          picked={picked.includes(contact.address)}
          toggle={() => toggle(contact.address)}
        />
      ))}
    </Rows>
  );
}

function FoundRow({ contact, picked, toggle }: { contact: ContactListItem; picked: boolean; toggle: () => void }) {
  const { zone } = useBrand();
  return (
    <tr>
      <td style={{ verticalAlign: 'middle' }}>
        <Checkbox aria-label={`Pick ${contact.address}`} checked={picked} onChange={toggle} />
      </td>
      <td>
        <ContactDoor {...contact} archived={contact.archivedAt !== null} />
      </td>
      <td className="second">{contact.address}</td>
      <td>
        <Stage stage={contact.stage ?? 'new'} />
      </td>
      <td>
        {contact.deliverability === 'undeliverable' ? <ReasonMark reason="undeliverable" /> : contact.deliverability}
      </td>
      <td className="second">{contact.lists.join(', ')}</td>
      <td className="figure second">{day(contact.joinedAt, zone)}</td>
    </tr>
  );
}
