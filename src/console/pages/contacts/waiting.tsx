import { Button, Select } from '@mantine/core';
import { useQueryClient } from '@tanstack/react-query';
import { useSearchParams } from 'react-router';
import { useState } from 'react';
import type { ActSelection } from '../../../shared/contract/acts.ts';
import type { SignUp } from '../../../shared/contract/permission.ts';
import type { List } from '../../../shared/contract/organisation.ts';
import { quoted } from '../../../shared/quoted.ts';
import { useActPreview } from '../../api/queries/acts.ts';
import { useListCounts, useLists } from '../../api/queries/organisation.ts';
import { useSignUps } from '../../api/queries/permission.ts';
import { ActSteps } from './act-on-found.tsx';
import { keys } from '../../api/keys.ts';
import { useBrand } from '../../brand.tsx';
import { Await, Door, Finding, Leaf, Section } from '../../components/page.tsx';
import { day, moment, plural, SIGN_UP_WAYS, waitingWords } from '../../components/words.ts';
import { Turn, usePages } from '../../components/turn.tsx';
import { Rows } from '../../components/rows.tsx';

/** Who signed up and has not confirmed, by age; and where the forms are. */
export default function Waiting() {
  const brand = useBrand();
  const [params, setParams] = useSearchParams();
  const lists = (useLists().data ?? []).filter((list) => list.brandId === brand.id);
  const listId = params.get('list') ? Number(params.get('list')) : undefined;
  const pages = usePages();
  const waiting = useSignUps({
    state: 'pending',
    listId,
    brandId: brand.id,
    cursor: pages.cursor,
    limit: 50,
  });
  const oldest = waiting.data?.items[0];
  const chosen = lists.filter((list) => listId === undefined || list.id === listId);
  const counts = useListCounts().data;
  const pending = counts
    ?.filter((one) => chosen.some(({ id }) => id === one.listId))
    .reduce((sum, one) => sum + one.pending, 0);
  return (
    <>
      <Finding
        line={`Sign-ups, ${brand.name}`}
        headline={pending === undefined ? 'Waiting to confirm' : waitingWords(pending)}
      >
        {oldest ? `The oldest since ${moment(oldest.at, brand.zone)}. ` : ''}A link alone confirms nobody; only the
        button behind it does.
      </Finding>
      <Leaf margin={<Forms lists={lists} />}>
        {chosen.map((list) => (
          <NeverAsked key={list.id} list={list} />
        ))}
        <Section
          head="Asked, by age"
          beside={
            <Select
              aria-label="List"
              placeholder="any list"
              clearable
              data={lists.map((list) => ({ value: String(list.id), label: list.name }))}
              value={listId === undefined ? null : String(listId)}
              onChange={(value) => setParams(value ? { list: value } : {})}
              w={180}
            />
          }
        >
          <Await of={waiting}>
            {({ items, next }) => (
              <>
                <ByAge items={items} />
                <Turn pages={pages} next={next} size={50} />
              </>
            )}
          </Await>
        </Section>
      </Leaf>
    </>
  );
}

function ByAge({ items }: { items: SignUp[] }) {
  const { zone } = useBrand();
  return (
    <Rows
      heads={
        <>
          <th>Address</th>
          <th>List</th>
          <th>Signed up</th>
          <th>By</th>
          <th className="figure">Asked</th>
          <th className="figure">Ends</th>
        </>
      }
    >
      {items.map((one) => (
        <tr key={one.id}>
          <td>{one.contactId === null ? one.address : <Door to={`/contacts/${one.contactId}`}>{one.address}</Door>}</td>
          <td>{one.listName}</td>
          <td className="second">{moment(one.at, zone)}</td>
          <td className="second">{[SIGN_UP_WAYS[one.way], one.network].filter(Boolean).join(', from ')}</td>
          <td className="figure">{plural(one.messages, 'time', 'times')}</td>
          <td className="figure second">{one.expiresAt ? day(one.expiresAt, zone) : ''}</td>
        </tr>
      ))}
    </Rows>
  );
}

/** Who came onto a list with double opt-in by a file: nobody asks them until somebody says so. */
function NeverAsked({ list }: { list: List }) {
  const queries = useQueryClient();
  const [open, setOpen] = useState(false);
  const selection: ActSelection = {
    act: 'ask',
    listId: list.id,
    filter: { brandId: list.brandId, where: `waiting on list ${quoted(list.name)}` },
  };
  const asked = useActPreview(list.optIn === 'double' ? selection : null).data?.willChange ?? 0;
  if (asked === 0 && !open) return null;
  return (
    <Section
      head={
        open
          ? `Asking who waits on ${list.name}`
          : `${plural(asked, 'person', 'people')} came onto ${list.name} by a file, and ${asked === 1 ? 'was' : 'were'} never asked`
      }
      beside={open ? undefined : <Button onClick={() => setOpen(true)}>Ask them to confirm</Button>}
    >
      {open ? (
        <div style={{ maxWidth: 520 }}>
          <ActSteps selection={selection} after={() => void queries.invalidateQueries({ queryKey: keys.allSignUps })} />
        </div>
      ) : null}
    </Section>
  );
}

function Forms({
  lists,
}: {
  lists: { id: number; name: string; optIn: string; signUpUrl: string; agreement: string }[];
}) {
  return (
    <Section head="Forms">
      {lists.map((list) => (
        <p key={list.id}>
          <a className="door" href={list.signUpUrl} target="_blank" rel="noreferrer">
            {list.name}
          </a>
          <br />
          <span className="second">
            {list.optIn === 'double' ? 'Asks to confirm.' : 'Subscribes at once; asks only who had left.'}{' '}
            {list.agreement === '' ? 'Nothing is agreed to.' : `“${list.agreement}”`}
          </span>
        </p>
      ))}
    </Section>
  );
}
