import { Button } from '@mantine/core';
import { useState } from 'react';
import type { Brand, List, ListCount } from '../../../shared/contract/organisation.ts';
import { useBrands, useListCounts, useLists } from '../../api/queries/organisation.ts';
import { hasTyped } from '../../api/use-typed.ts';
import { useBrand } from '../../brand.tsx';
import { Await, Door, Finding, Leaf, Section } from '../../components/page.tsx';
import { count, plural, waitingWords } from '../../components/words.ts';
import { Access } from './access.tsx';
import { BrandForm } from './brand-form.tsx';
import { ListForm, placeOfList } from './list-form.tsx';
import { Relays } from './relays.tsx';
import { Signing } from './signing.tsx';
import { Retention } from './retention.tsx';
import { Rows } from '../../components/rows.tsx';

/** The lists of the brand and how it sends, the other brands, and in the margin what may speak to the service. */
export default function Settings() {
  const brand = useBrand();
  const counts = useListCounts().data ?? [];
  return (
    <Await of={useLists()}>
      {(all) => {
        const lists = all.filter((list) => list.brandId === brand.id);
        const sum = (state: 'subscribed' | 'pending'): number =>
          lists.reduce((total, list) => total + on(counts, list, state), 0);
        return (
          <>
            <Finding
              line={`Settings, ${brand.name}`}
              headline={`${plural(lists.length, 'list', 'lists')} with ${plural(sum('subscribed'), 'subscription', 'subscriptions')}, written to from ${brand.fromAddress}`}
            >
              {sum('pending') === 0 ? (
                waitingWords(0)
              ) : (
                <Door to="/contacts/waiting">{waitingWords(sum('pending'))}</Door>
              )}
              . Returns come to {brand.returnDomain}.
            </Finding>
            <Leaf margin={<Access />}>
              <Lists lists={lists} counts={counts} />
              <Brands />
              <Relays />
              <Signing />
              <Retention />
            </Leaf>
          </>
        );
      }}
    </Await>
  );
}

const on = (counts: ListCount[], list: List, state: 'subscribed' | 'pending'): number =>
  counts.find(({ listId }) => listId === list.id)?.[state] ?? 0;

function Lists({ lists, counts }: { lists: List[]; counts: ListCount[] }) {
  const brand = useBrand();
  // A list by its number; 0 is a new one.
  const [open, setOpen] = useState<number | null>(() => {
    const begun = lists.find((list) => hasTyped(placeOfList(brand.id, list)));
    return begun?.id ?? (hasTyped(placeOfList(brand.id)) ? 0 : null);
  });
  const form = (list?: List) => <ListForm key={list?.id} list={list} brandId={brand.id} done={() => setOpen(null)} />;
  return (
    <Section head="Lists" beside={<Button onClick={() => setOpen(0)}>New list</Button>}>
      {open === 0 ? form() : null}
      {lists.length === 0 ? (
        <p className="second">No list yet: contacts are taken into lists, and campaigns go to them.</p>
      ) : null}
      <Rows
        heads={
          <>
            <th>List</th>
            <th className="figure">Subscribed</th>
            <td />
          </>
        }
      >
        {lists.map((list) => (
          <ListRow
            key={list.id}
            list={list}
            counts={counts}
            open={open === list.id}
            toggle={() => setOpen(open === list.id ? null : list.id)}
          />
        ))}
      </Rows>
      {lists.filter(({ id }) => id === open).map(form)}
    </Section>
  );
}

function ListRow({
  list,
  counts,
  open,
  toggle,
}: {
  list: List;
  counts: ListCount[];
  open: boolean;
  toggle: () => void;
}) {
  const [pending, subscribed] = [on(counts, list, 'pending'), count(on(counts, list, 'subscribed'))];
  return (
    <tr>
      <td>
        {list.name}{' '}
        <a
          className="plain"
          href={list.signUpUrl}
          target="_blank"
          rel="noreferrer"
          aria-label={`Sign-up form of ${list.name}`}
        >
          form
        </a>
        <br />
        <span className="second">
          {pending > 0 ? (
            <>
              <Door to={`/contacts/waiting?list=${list.id}`}>{count(pending)} to confirm</Door>;{' '}
            </>
          ) : null}
          {waysOn(list)}
        </span>
      </td>
      <td className="figure">
        <Door to={`/contacts?list=${list.id}&archived=no`} label={`${subscribed} contacts on ${list.name}`}>
          {subscribed}
        </Door>
      </td>
      <td className="figure">
        <ChangeButton of={list.name} open={open} toggle={toggle} />
      </td>
    </tr>
  );
}

/** How one gets on a list, and what becomes of who never confirms. */
function waysOn({ optIn, agreement, remindDays, expireDays, isPublic }: List): string {
  const agreed = agreement === '' ? 'nothing is agreed to' : `agreed to: “${agreement}”`;
  const reminded = remindDays.length === 0 ? 'not reminded' : `reminded after ${remindDays.join(' and ')} days`;
  const unconfirmed = optIn === 'double' ? `; ${reminded}, let go after ${expireDays}` : '';
  return `${optIn} opt-in; ${agreed}${unconfirmed}${isPublic ? '' : '; not on the preference page'}`;
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
            <Rows
              heads={
                <>
                  <th>Brand</th>
                  <th>Sends as</th>
                  <th>Returns to</th>
                  <th>Time zone</th>
                  <td />
                </>
              }
            >
              {brands.map((brand) => (
                <tr key={brand.id}>
                  <td>{brand.name}</td>
                  <td>{brand.fromAddress}</td>
                  <td className="second">{brand.returnDomain}</td>
                  <td className="second">{brand.zone}</td>
                  <td className="figure">
                    <ChangeButton
                      of={brand.name}
                      open={open === brand.id}
                      toggle={() => setOpen(open === brand.id ? null : brand.id)}
                    />
                  </td>
                </tr>
              ))}
            </Rows>
            {brands.filter(({ id }) => id === open).map(form)}
          </>
        )}
      </Await>
    </Section>
  );
}

/** Opens the form in which something is changed, or closes it. */
function ChangeButton({ of, open, toggle }: { of: string; open: boolean; toggle: () => void }) {
  return (
    <button type="button" className="act" aria-label={`Change ${of}`} aria-expanded={open} onClick={toggle}>
      Change
    </button>
  );
}
