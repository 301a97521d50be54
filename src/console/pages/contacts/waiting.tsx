import { Button, Select } from '@mantine/core';
import { useSearchParams } from 'react-router';
import { useLists, useSignUps } from '../../api/queries.ts';
import { useBrand } from '../../brand.tsx';
import { Await, Door, Finding, Leaf, Section } from '../../components/page.tsx';
import { day, moment, plural } from '../../components/words.ts';

/** Who signed up and has not confirmed, by age; and where the forms are. */
export default function Waiting() {
  const brand = useBrand();
  const [params, setParams] = useSearchParams();
  const lists = (useLists().data ?? []).filter((list) => list.brandId === brand.id);
  const listId = params.get('list') ? Number(params.get('list')) : undefined;
  const waiting = useSignUps({ state: 'pending', listId, cursor: params.get('cursor') ?? undefined, limit: 50 });
  const oldest = waiting.data?.items[0];
  const headline = waiting.data && waiting.data.items.length === 0 ? 'Nobody waits to confirm' : `${waiting.data ? plural(waiting.data.items.length, 'person waits', 'people wait') : 'Waiting'} to confirm${waiting.data?.next ? ', and more' : ''}`; // prettier-ignore
  return (
    <>
      <Finding line={`Sign-ups, ${brand.name}`} headline={headline}>
        {oldest ? `The oldest since ${moment(oldest.at, brand.zone)}. ` : ''}A link alone confirms nobody; only the
        button behind it does.
      </Finding>
      <Leaf margin={<Forms lists={lists} />}>
        <Section
          head="By age"
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
                <table className="rows folds">
                  <thead>
                    <tr>
                      <th>Address</th>
                      <th>List</th>
                      <th>Signed up</th>
                      <th>By</th>
                      <th className="figure">Asked</th>
                      <th className="figure">Ends</th>
                    </tr>
                  </thead>
                  <tbody>
                    {items.map((one) => (
                      <tr key={one.id}>
                        <td>
                          {one.contactId === null ? (
                            one.address
                          ) : (
                            <Door to={`/contacts/${one.contactId}`}>{one.address}</Door>
                          )}
                        </td>
                        <td>{one.listName}</td>
                        <td className="second">{moment(one.at, brand.zone)}</td>
                        <td className="second">{[one.way, one.network].filter(Boolean).join(' from ')}</td>
                        <td className="figure">{plural(one.messages, 'time', 'times')}</td>
                        <td className="figure second">{one.expiresAt ? day(one.expiresAt, brand.zone) : ''}</td>
                      </tr>
                    ))}
                  </tbody>
                </table>
                {next ? (
                  <Button
                    mt="sm"
                    onClick={() => setParams({ ...(listId ? { list: String(listId) } : {}), cursor: next })}
                  >
                    Next 50
                  </Button>
                ) : null}
              </>
            )}
          </Await>
        </Section>
      </Leaf>
    </>
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
