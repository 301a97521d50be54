import { Button, TextInput } from '@mantine/core';
import { useState } from 'react';
import { useParams } from 'react-router';
import type { ReturnItem } from '../../../shared/contract/returns.ts';
import { useReturn } from '../../api/queries/returns.ts';
import { useAct } from '../../api/use-act.ts';
import { useBrand } from '../../brand.tsx';
import { Await, Door, Finding, Leaf, ProblemNote, Section } from '../../components/page.tsx';
import { moment } from '../../components/words.ts';
import { KIND_WORDS } from './returns.tsx';

/** One return: how it was read and why, the message, and what a person can do with it. */
export default function Return() {
  const { zone } = useBrand();
  return (
    <Await of={useReturn(Number(useParams()['id']))}>
      {(row) => (
        <>
          <Finding
            line={
              <>
                Return {row.id}, came {moment(row.receivedAt, zone)}, <Door to="/returns">all returns</Door>
              </>
            }
            headline={headline(row)}
          >
            {row.because}.
          </Finding>
          <Leaf margin={<Decide row={row} />}>
            <Reading row={row} />
            <Section head="The message">
              {row.message === null ? (
                <p className="second">The message itself is not kept any more.</p>
              ) : (
                <pre
                  className="said as-written"
                  style={{ maxHeight: 520, overflowY: 'auto' }}
                  tabIndex={0}
                  aria-label="The message as it came"
                >
                  {row.message.slice(0, 20_000)}
                </pre>
              )}
            </Section>
          </Leaf>
        </>
      )}
    </Await>
  );
}

function headline({ kind, state }: ReturnItem): string {
  const what = KIND_WORDS[kind];
  const words = {
    counted: 'it counts',
    noted: 'noted, nothing changes',
    asks: 'it asks to stop',
    held: 'held for you',
    unmatched: 'about no message of ours, as far as we can tell',
    dismissed: 'put aside',
  };
  return `${what.charAt(0).toUpperCase()}${what.slice(1)}: ${words[state]}`;
}

/** What was seen in it, by which standard, and the rows of the table that decided. */
function Reading({ row }: { row: ReturnItem }) {
  const { reading } = row;
  return (
    <Section head="How it was read">
      <table className="ledger">
        <tbody>
          <Line name="Sent to" value={row.envelopeTo || 'not known'} />
          <Line name="Follows" value={reading.standard ?? 'no standard'} />
          <Line name="Read as such because" value={reading.because} />
          <Line name="Answers message" value={reading.message_id ?? 'names none'} />
          <Line name="Our token" value={reading.token ?? 'none'} />
        </tbody>
      </table>
      {reading.recipients.length > 0 ? (
        <table className="rows folds" style={{ marginTop: 12 }}>
          <thead>
            <tr>
              <th>Of</th>
              <th>Class</th>
              <th>Codes</th>
              <th>They said</th>
            </tr>
          </thead>
          <tbody>
            {reading.recipients.map((one) => (
              <tr key={one.address}>
                <td>{one.address}</td>
                <td>{one.class}</td>
                <td className="second">{[one.reply_code, one.status].filter(Boolean).join(' ')}</td>
                <td className="said second">{one.text}</td>
              </tr>
            ))}
          </tbody>
        </table>
      ) : null}
    </Section>
  );
}

function Line({ name, value }: { name: string; value: string }) {
  return (
    <tr>
      <td>{name}</td>
      <td className="second breaks">{value}</td>
    </tr>
  );
}

function Decide({ row }: { row: ReturnItem }) {
  const [address, setAddress] = useState(row.reading.recipients[0]?.address ?? '');
  const match = useAct((service, of: string) => service.matchReturn({ id: row.id, address: of }));
  const grant = useAct((service, id: number) => service.grantStop({ id }));
  const dismiss = useAct((service, id: number) => service.dismissReturn({ id }));
  if (!['unmatched', 'asks', 'held'].includes(row.state)) return <Section head="Nothing to decide" />;
  return (
    <Section head="Decide">
      <div className="stack">
        {row.state === 'asks' ? (
          <Button disabled={grant.isPending} onClick={() => grant.mutate(row.id)}>
            Unsubscribe them, as they ask
          </Button>
        ) : (
          <>
            <TextInput
              label="Whom is it about?"
              description="It counts for the latest campaign that they were sent."
              value={address}
              onChange={(event) => setAddress(event.currentTarget.value)}
            />
            <Button disabled={address.trim() === '' || match.isPending} onClick={() => match.mutate(address)}>
              It is about them: count it
            </Button>
          </>
        )}
        <Button disabled={dismiss.isPending} onClick={() => dismiss.mutate(row.id)}>
          Put it aside
        </Button>
        <ProblemNote error={match.error ?? grant.error ?? dismiss.error} />
      </div>
    </Section>
  );
}
