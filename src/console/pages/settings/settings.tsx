import { Button } from '@mantine/core';
import { useState } from 'react';
import { quoted } from '../../../shared/quoted.ts';
import type { Brand, List, ListCount } from '../../../shared/api.ts';
import { useBrands, useListCounts, useLists } from '../../api/queries.ts';
import { useBrand } from '../../brand.tsx';
import { Await, Door, Finding, Leaf, Section } from '../../components/page.tsx';
import { count, plural } from '../../components/words.ts';
import { Access } from './access.tsx';
import { BrandForm } from './brand-form.tsx';
import { ListForm } from './list-form.tsx';
import { Retention } from './retention.tsx';

/** The lists of the brand and how it sends, the other brands, and in the margin what may speak to the service. */
export default function Settings() {
  const brand = useBrand();
  const counts = useListCounts().data ?? [];
  return (
    <Await of={useLists()}>
      {(all) => {
        const lists = all.filter((list) => list.brandId === brand.id);
        const sum = (state: 'subscribed' | 'pending'): number => lists.reduce((total, list) => total + on(counts, list, state), 0); // prettier-ignore
        return (
          <>
            <Finding
              line={`Settings, ${brand.name}`}
              headline={`${plural(lists.length, 'list', 'lists')} with ${plural(sum('subscribed'), 'subscription', 'subscriptions')}, written to from ${brand.fromAddress}`}
            >
              {sum('pending') === 0
                ? 'Nobody waits to confirm.'
                : `${plural(sum('pending'), 'person has', 'people have')} yet to confirm.`}{' '}
              Returns come to {brand.returnDomain}.
            </Finding>
            <Leaf margin={<Access />}>
              <Lists lists={lists} counts={counts} />
              <Brands />
              <Retention />
            </Leaf>
          </>
        );
      }}
    </Await>
  );
}

const on = (counts: ListCount[], list: List, state: 'subscribed' | 'pending'): number => counts.find(({ listId }) => listId === list.id)?.[state] ?? 0; // prettier-ignore

function Lists({ lists, counts }: { lists: List[]; counts: ListCount[] }) {
  const brand = useBrand();
  // A list by its number; 0 is a new one.
  const [open, setOpen] = useState<number | null>(null);
  const form = (list?: List) => <ListForm key={list?.id} list={list} brandId={brand.id} done={() => setOpen(null)} />;
  return (
    <Section head="Lists" beside={<Button onClick={() => setOpen(0)}>New list</Button>}>
      {open === 0 ? form() : null}
      {lists.length === 0 ? <p className="second">No list yet: contacts are taken into lists, and campaigns go to them.</p> : null}
      <table className="rows folds">
        <thead>
          <tr><th>List</th><th className="figure">Subscribed</th><td /></tr>
        </thead>
        <tbody>
          {lists.map((list) => (
            <tr key={list.id}>
              <td>
                {list.name} <a className="plain" href={list.signUpUrl} target="_blank" rel="noreferrer" aria-label={`Sign-up form of ${list.name}`}>form</a>
                <br />
                <span className="second">
                  {on(counts, list, 'pending') > 0 ? <><Door to={waitingOn(list)}>{count(on(counts, list, 'pending'))} to confirm</Door>; </> : null}
                  {waysOn(list)}
                </span>
              </td>
              <td className="figure"><Door to={`/contacts?list=${list.id}`} label={`${count(on(counts, list, 'subscribed'))} contacts on ${list.name}`}>{count(on(counts, list, 'subscribed'))}</Door></td>
              <td className="figure"><button type="button" className="act" aria-label={`Change ${list.name}`} aria-expanded={open === list.id} onClick={() => setOpen(open === list.id ? null : list.id)}>Change</button></td>
            </tr>
          ))}
        </tbody>
      </table>
      {lists.filter(({ id }) => id === open).map(form)}
    </Section>
  ); // prettier-ignore
}

/** The contacts who have yet to confirm a list, whether they signed up or came by a file. */
const waitingOn = ({ name }: List): string =>
  `/contacts?where=${encodeURIComponent(`waiting on list ${quoted(name)}`)}`;

/** How one gets on a list, and what becomes of who never confirms. */
function waysOn({ optIn, agreement, remindDays, expireDays, isPublic }: List): string {
  const agreed = agreement === '' ? 'nothing is agreed to' : `agreed to: “${agreement}”`;
  const reminded = remindDays.length === 0 ? 'not reminded' : `reminded after ${remindDays.join(' and ')} days`;
  return `${optIn} opt-in; ${agreed}; ${reminded}, let go after ${expireDays}${isPublic ? '' : '; not on the preference page'}`;
}

function Brands() {
  const [open, setOpen] = useState<number | null>(null);
  const form = (brand?: Brand) => <BrandForm key={brand?.id} brand={brand} done={() => setOpen(null)} />;
  return (
    <Section head="Brands" beside={<Button onClick={() => setOpen(0)}>New brand</Button>}>
      {open === 0 ? form() : null}
      <Await of={useBrands()} rows={2}>
        {(brands) => (
          <>
            <table className="rows folds">
              <thead>
                <tr><th>Brand</th><th>Sends as</th><th>Returns to</th><th>Time zone</th><td /></tr>
              </thead>
              <tbody>
                {brands.map((brand) => (
                  <tr key={brand.id}>
                    <td>{brand.name}</td>
                    <td>{brand.fromAddress}</td>
                    <td className="second">{brand.returnDomain}</td>
                    <td className="second">{brand.zone}</td>
                    <td className="figure"><button type="button" className="act" aria-expanded={open === brand.id} aria-label={`Change ${brand.name}`} onClick={() => setOpen(open === brand.id ? null : brand.id)}>Change</button></td>
                  </tr>
                ))}
              </tbody>
            </table>
            {brands.filter(({ id }) => id === open).map(form)}
          </>
        )}
      </Await>
    </Section>
  ); // prettier-ignore
}
