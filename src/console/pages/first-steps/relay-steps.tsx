import { Button, TextInput } from '@mantine/core';
import { useState } from 'react';
import { relayWords, testWords } from '../../../client/wording/relay.ts';
import { useRelay } from '../../api/queries/relay.ts';
import { useSession } from '../../api/session.ts';
import { useAct } from '../../api/use-act.ts';
import { useBrand } from '../../brand.tsx';
import { Loading, ProblemNote } from '../../components/page.tsx';

/** Says what the relay answered, and asks it again. */
export function AskRelay() {
  const relay = useRelay(useBrand().id);
  return (
    <div className="stack">
      {relay.isPending ? <Loading rows={1} /> : null}
      <ProblemNote error={relay.error} />
      {relay.data && !relay.data.answers ? (
        <p role="status">
          {relayWords(relay.data)} It said: <q>{relay.data.said}</q>.{' '}
          <span className="second">
            Where it is, is the setting AVENDEL_RELAY_URL of the service, or is said under Settings, “Relays”. Look
            whether it runs, and ask again.
          </span>
        </p>
      ) : null}
      <span className="row">
        <Button loading={relay.isFetching} onClick={() => void relay.refetch()}>
          Ask the relay again
        </Button>
      </span>
    </div>
  );
}

/** Sends a message that only tries the way, to whoever is signed in or to another address. */
export function SendTest() {
  const brand = useBrand();
  const own = useSession().data?.email;
  const [typed, setTyped] = useState<string>();
  const to = typed ?? own ?? '';
  const send = useAct((client, address: string) => client.sendTest({ brandId: brand.id, to: address }));
  return (
    <form
      className="sheet stack"
      onSubmit={(event) => {
        event.preventDefault();
        send.mutate(to);
      }}
    >
      <TextInput
        required
        type="email"
        label="Test message to"
        description="It belongs to no campaign, and nothing that is done with it is counted."
        value={to}
        onChange={(event) => setTyped(event.currentTarget.value)}
      />
      <ProblemNote error={send.error} />
      {send.data && send.data.outcome !== 'accepted' ? (
        <p role="status">
          {testWords(send.data, send.variables)} It said: <q>{send.data.reply}</q>.
        </p>
      ) : null}
      <span className="row">
        <Button type="submit" loading={send.isPending}>
          Send it
        </Button>
      </span>
    </form>
  );
}
