import { Button } from '@mantine/core';
import { Link, useNavigate, useParams } from 'react-router';
import type { SnapshotChange } from '../../../shared/contract/segments.ts';
import { useSnapshotChange, useSnapshotContacts } from '../../api/queries/segments.ts';
import { useAct } from '../../api/use-act.ts';
import { useBrand } from '../../brand.tsx';
import { ContactDoor } from '../../components/contact-door.tsx';
import { Await, Finding, Leaf, Ledger, ProblemNote, Section } from '../../components/page.tsx';
import { count, moment } from '../../components/words.ts';
import { Rows } from '../../components/rows.tsx';

/** Who came in and who left since a snapshot was frozen. */
export default function Snapshot() {
  const { id, snapshot } = useParams();
  const brand = useBrand();
  const navigate = useNavigate();
  const snapshotId = Number(snapshot);
  const forget = useAct((client, _: void) => client.removeSnapshot({ id: snapshotId }));
  const margin = (change: SnapshotChange) => (
    <>
      <Section head="From then to now">
        <Ledger
          lines={[
            { words: 'Were in it', figure: count(change.from.contacts) },
            { sign: '+', words: 'came in', figure: count(change.came) },
            { sign: '−', words: 'left', figure: count(change.left) },
          ]}
          total={{ words: 'Are in it', figure: count(change.stayed + change.came) }}
        />
      </Section>
      <Section head="What it asked then">
        <p className="said as-written">{change.from.condition}</p>
      </Section>
      <ProblemNote error={forget.error} />
      <span className="row">
        <Button component={Link} to={`/segments/${id}`}>
          The segment
        </Button>
        <Button
          loading={forget.isPending}
          onClick={() => forget.mutate(undefined, { onSuccess: () => void navigate(`/segments/${id}`) })}
        >
          Delete the snapshot
        </Button>
      </span>
    </>
  );
  return (
    <Await of={useSnapshotChange(snapshotId)} rows={6}>
      {(change) => (
        <>
          <Finding
            line={`Snapshot “${change.from.name}”, frozen ${moment(change.from.takenAt, brand.zone)} by ${change.from.takenBy}`}
            headline={`${count(change.came)} came in and ${count(change.left)} left since then`}
          >
            A snapshot stays as it was; the segment is worked out afresh.
          </Finding>
          <Leaf margin={margin(change)}>
            <Those snapshotId={snapshotId} direction="came" total={change.came} />
            <Those snapshotId={snapshotId} direction="left" total={change.left} />
          </Leaf>
        </>
      )}
    </Await>
  );
}

function Those({ snapshotId, direction, total }: { snapshotId: number; direction: 'came' | 'left'; total: number }) {
  const contacts = useSnapshotContacts(snapshotId, direction);
  if (total === 0) return <Section head={direction === 'came' ? 'Nobody came in' : 'Nobody left'} />;
  return (
    <Section head={`${count(total)} ${direction === 'came' ? 'came in' : 'left'}`}>
      <Await of={contacts} rows={4}>
        {(page) => (
          <>
            <Rows
              heads={
                <>
                  <th>Contact</th>
                  <th>Address</th>
                </>
              }
            >
              {page.items.map((one) => (
                <tr key={one.id}>
                  <td>
                    <ContactDoor {...one} />
                  </td>
                  <td className="second">{one.address}</td>
                </tr>
              ))}
            </Rows>
            {page.next === null ? null : (
              <p className="second">
                The first {count(page.items.length)} of {count(total)}.
              </p>
            )}
          </>
        )}
      </Await>
    </Section>
  );
}
