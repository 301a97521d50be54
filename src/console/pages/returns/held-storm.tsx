import { Button } from '@mantine/core';
import { useState } from 'react';
import type { StormDetail } from '../../../shared/contract/storms.ts';
import { client } from '../../api/client.ts';
import { useStorm } from '../../api/queries/returns.ts';
import { useAct } from '../../api/use-act.ts';
import { useBrand } from '../../brand.tsx';
import { FourSteps } from '../../components/four-steps.tsx';
import { Await, Door, ProblemNote, Section } from '../../components/page.tsx';
import { count, moment, percent, plural } from '../../components/words.ts';
import { LongField } from '../../components/long-field.tsx';

/** A domain that suddenly fails: an outage, or addresses that are dead. A person says which. */
export function HeldStorm({ id }: { id: number }) {
  return <Await of={useStorm(id)}>{(storm) => <Held storm={storm} />}</Await>;
}

function Held({ storm }: { storm: StormDetail }) {
  const { zone } = useBrand();
  return (
    <Section
      head={`${storm.domain}: ${plural(storm.contacts, 'contact', 'contacts')} refused for good since ${moment(storm.begins, zone)}`}
    >
      <p>
        {count(storm.bounces)} of {count(storm.messages)} messages of its hour came back
        {storm.messages > 0 ? ` (${percent(storm.bounces / storm.messages)})` : ''}, though it took mail in the days
        before. Nobody is marked until you decide.
      </p>
      <table className="rows folds" style={{ marginTop: 8 }}>
        <tbody>
          {storm.sample.slice(0, 5).map((one) => (
            <tr key={one.id}>
              <td>
                <Door to={`/contacts/${one.id}`}>{one.address}</Door>
              </td>
              <td className="said second">{one.reply}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <div className="row" style={{ alignItems: 'flex-start', marginTop: 16, gap: 40 }}>
        <div style={{ flex: '1 1 260px' }}>
          <h3>The addresses are dead</h3>
          <FourSteps
            expected={storm.contacts}
            what="Mark"
            change="They become undeliverable, with entries on the hard-bounce list; no campaign reaches them. The run can be undone."
            apply={(expect, reason) => client.releaseStorm({ id: storm.id, expect, reason })}
          >
            <p>{plural(storm.contacts, 'contact', 'contacts')} would be marked undeliverable.</p>
          </FourSteps>
        </div>
        <div style={{ flex: '1 1 260px' }}>
          <h3>It was an outage</h3>
          <Dismiss id={storm.id} />
        </div>
      </div>
    </Section>
  );
}

function Dismiss({ id }: { id: number }) {
  const [reason, setReason] = useState('');
  const act = useAct((service, why: string) => service.dismissStorm({ id, reason: why }));
  return (
    <div className="stack">
      <LongField label="How do you know?" value={reason} change={setReason} />
      <ProblemNote error={act.error} />
      <Button disabled={reason.trim() === '' || act.isPending} onClick={() => act.mutate(reason)}>
        Count them against nobody
      </Button>
    </div>
  );
}
