import { Button, Textarea } from '@mantine/core';
import { useState } from 'react';
import { testWords } from '../../../client/wording/relay.ts';
import type { TypedMessage } from '../../../shared/contract/messages.ts';
import { useAct } from '../../api/use-act.ts';
import { ProblemNote, Section } from '../../components/page.tsx';

/** Sends what is written, as it stands, to a few addresses. */
export function TryOut({ typed, address }: { typed: TypedMessage; address: string }) {
  const [to, setTo] = useState('');
  const addresses = to.split(/[\s,;]+/).filter((one) => one !== '');
  const send = useAct((client, _: void) =>
    client.sendTests({ ...typed, to: addresses, address: address === '' ? undefined : address }),
  );
  return (
    <Section head="Test">
      <form
        className="stack"
        onSubmit={(event) => {
          event.preventDefault();
          send.mutate(undefined);
        }}
      >
        <Textarea
          label="To, up to ten addresses"
          autosize
          minRows={1}
          value={to}
          onChange={(event) => setTo(event.currentTarget.value)}
        />
        <span className="second">
          As {address === '' ? 'somebody without a name' : address} gets it, marked as a test; counted nowhere.
        </span>
        <ProblemNote error={send.error} />
        <Button type="submit" loading={send.isPending} disabled={addresses.length === 0}>
          Send a test
        </Button>
        <div role="status">
          {send.data?.tests.map((one) => (
            <p key={one.to} className="second">
              {testWords(one, one.to)} <span className="said">{one.outcome === 'accepted' ? '' : one.reply}</span>
            </p>
          ))}
        </div>
      </form>
    </Section>
  );
}
