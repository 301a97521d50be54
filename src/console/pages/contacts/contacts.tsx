import { Button, Select, TextInput } from '@mantine/core';
import { IconSearch } from '@tabler/icons-react';
import { Link, useSearchParams } from 'react-router';
import { DELIVERABILITIES, STAGES } from '../../../shared/words.ts';
import { useContacts, useLists } from '../../api/queries.ts';
import { useBrand } from '../../brand.tsx';
import { ReasonMark, Stage } from '../../components/marks.tsx';
import { Await, Door, Finding, Section } from '../../components/page.tsx';
import { count, day, plural } from '../../components/words.ts';
import { ActOnFound } from './act-on-found.tsx';

/** Contacts by filter; the filter lives in the address bar. */
export default function Contacts() {
  const brand = useBrand();
  const [params, setParams] = useSearchParams();
  const lists = useLists();
  const of = (name: string): string | undefined => params.get(name) || undefined;
  const set = (name: string, value: string | null): void =>
    setParams((was) => {
      const now = new URLSearchParams(was);
      if (value) now.set(name, value);
      else now.delete(name);
      if (name !== 'cursor') now.delete('cursor');
      return now;
    });
  const filter = {
    brandId: brand.id,
    part: of('part'),
    listId: of('list') ? Number(of('list')) : undefined,
    stage: of('stage'),
    deliverability: of('deliverability'),
    tag: of('tag'),
  };
  const cursor = of('cursor');
  const limit = 25;
  const contacts = useContacts({ ...filter, cursor, limit });
  const filtered = Boolean(filter.part ?? filter.listId ?? filter.stage ?? filter.deliverability ?? filter.tag);
  return (
    <>
      <Finding line={`Contacts, ${brand.name}`} headline={contacts.data ? `${plural(contacts.data.total, 'contact', 'contacts')} ${filtered ? (contacts.data.total === 1 ? 'matches' : 'match') : 'are known here'}` : 'Contacts'} />
      <div style={{ marginTop: 24 }}>
        <Section head="Find" beside={<span className="row"><Button component={Link} to="/contacts/waiting">Waiting to confirm</Button><Button component={Link} to="/contacts/addresses">Addresses</Button><Button component={Link} to="/contacts/verifications">Verdicts</Button><Button component={Link} to="/contacts/cost">Archive and cost</Button><Button component={Link} to="/contacts/reconcile">Reconcile</Button><Button component={Link} to="/contacts/import">Import a file</Button></span>}>
          <div className="row">
            <TextInput aria-label="Part of an address or name" placeholder="part of an address or name" leftSection={<IconSearch size={16} aria-hidden />} defaultValue={filter.part} onKeyDown={(event) => event.key === 'Enter' && set('part', event.currentTarget.value)} w={260} />
            <Select aria-label="List" placeholder="any list" clearable data={(lists.data ?? []).filter((list) => list.brandId === brand.id).map((list) => ({ value: String(list.id), label: list.name }))} value={of('list') ?? null} onChange={(value) => set('list', value)} w={180} />
            <Select aria-label="Stage" placeholder="any stage" clearable data={[...STAGES]} value={of('stage') ?? null} onChange={(value) => set('stage', value)} w={150} />
            <Select aria-label="Deliverability" placeholder="any deliverability" clearable data={[...DELIVERABILITIES]} value={of('deliverability') ?? null} onChange={(value) => set('deliverability', value)} w={180} />
            <TextInput aria-label="Tag" placeholder="any tag" defaultValue={filter.tag} onKeyDown={(event) => event.key === 'Enter' && set('tag', event.currentTarget.value)} w={120} />
          </div>
        </Section>
        {filtered && contacts.data && contacts.data.total > 0 ? <ActOnFound key={JSON.stringify(filter)} filter={filter} total={contacts.data.total} /> : null}
        <Await of={contacts} rows={12}>
          {(page) =>
            page.items.length === 0 ? (
              <Section head="No contact matches"><Button onClick={() => setParams({})}>Show all contacts</Button></Section>
            ) : (
              <>
                <table className="rows folds">
                  <thead>
                    <tr>
                      <th>Contact</th>
                      <th>Address</th>
                      <th>Stage</th>
                      <th>Receives</th>
                      <th>Subscribed to</th>
                      <th className="figure">Joined</th>
                    </tr>
                  </thead>
                  <tbody>
                    {page.items.map((contact) => (
                      <tr key={contact.id}>
                        <td><Door to={`/contacts/${contact.id}`}>{contact.name ?? contact.address}</Door></td>
                        <td className="second">{contact.address}</td>
                        <td><Stage stage={contact.stage ?? 'new'} /></td>
                        <td>{contact.deliverability === 'undeliverable' ? <ReasonMark reason="undeliverable" /> : contact.deliverability}</td>
                        <td className="second">{contact.lists.join(', ')}</td>
                        <td className="figure second">{day(contact.joinedAt, brand.zone)}</td>
                      </tr>
                    ))}
                  </tbody>
                </table>
                <div className="row" style={{ justifyContent: 'space-between', marginTop: 12 }}>
                  <span className="second">{count(page.items.length)} of {count(page.total)}, oldest first</span>
                  <span className="row">
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
