import { Button, Select } from '@mantine/core';
import { useState } from 'react';
import { useSearchParams } from 'react-router';
import { listed } from '../../../client/wording/listed.ts';
import type { Mailbox } from '../../../shared/contract/mailboxes.ts';
import type { ReturnCounts, ReturnItem } from '../../../shared/contract/returns.ts';
import type { Storm } from '../../../shared/contract/storms.ts';
import { useMailboxes, useReturnCounts, useReturns, useStorms } from '../../api/queries/returns.ts';
import { client } from '../../api/client.ts';
import { useAct } from '../../api/use-act.ts';
import { useBrand } from '../../brand.tsx';
import { Await, Door, Finding, Leaf, Section } from '../../components/page.tsx';
import { count, moment, plural } from '../../components/words.ts';
import { usePages } from '../../components/turn.tsx';
import { MailboxForm } from './mailbox-form.tsx';
import { HeldStorm } from './held-storm.tsx';
import { PageOfRows } from '../../components/rows.tsx';

const STATES: { value: ReturnItem['state']; label: string }[] = [
  { value: 'unmatched', label: 'match nothing' },
  { value: 'asks', label: 'ask to stop' },
  { value: 'held', label: 'held for you' },
  { value: 'counted', label: 'counted' },
  { value: 'noted', label: 'noted' },
  { value: 'dismissed', label: 'put aside' },
];

export const KIND_WORDS: Record<ReturnItem['kind'], string> = {
  bounce: 'bounce',
  delay: 'delay',
  success: 'delivered',
  auto_reply: 'automatic reply',
  challenge: 'challenge',
  complaint: 'complaint',
  not_spam: 'not spam',
  unsubscribe_request: 'asks to be taken off',
  read_receipt: 'receipt',
  reply: 'reply',
  unknown: 'not understood',
  unreadable: 'not readable',
};

/** The return mailbox: what came back, what waits for a person, and the storms that are held. */
export default function Returns() {
  const { zone } = useBrand();
  const counts = useReturnCounts();
  const storms = useStorms();
  const held = (storms.data ?? []).filter((storm) => storm.state === 'held');
  return (
    <>
      <Finding line="What comes back, whole organisation" headline={headline(counts.data, held)}>
        {counts.data?.lastAt ? `The last came ${moment(counts.data.lastAt, zone)}. ` : ''}A return counts only when it
        proves to be about a message of ours.
      </Finding>
      <Leaf
        margin={
          <>
            <Kinds />
            <Mailboxes />
            <Decided storms={storms.data ?? []} />
          </>
        }
      >
        {held.map((storm) => (
          <HeldStorm key={storm.id} id={storm.id} />
        ))}
        <List />
      </Leaf>
    </>
  );
}

function headline(counts: ReturnCounts | undefined, held: Storm[]): string {
  const of = (state: ReturnItem['state']): number =>
    (counts?.kinds ?? []).filter((one) => one.state === state).reduce((sum, one) => sum + one.returns, 0);
  const parts = [
    ...held.map((storm) => `${storm.domain} suddenly refuses ${plural(storm.contacts, 'contact', 'contacts')}`),
    ...(of('asks') > 0 ? [`${plural(of('asks'), 'reply asks', 'replies ask')} to stop`] : []),
    ...(of('held') > 0 ? [`${plural(of('held'), 'hard bounce waits', 'hard bounces wait')} for you to look at`] : []),
    ...(of('unmatched') > 0 ? [`${plural(of('unmatched'), 'return matches', 'returns match')} nothing`] : []),
  ];
  return parts.length === 0 ? 'Nothing that came back waits for you' : listed(parts);
}

/** Returns of the last thirty days by kind. */
function Kinds() {
  return (
    <Section head="Last 30 days">
      <Await of={useReturnCounts()} rows={3}>
        {({ kinds }) =>
          kinds.length === 0 ? (
            <p className="second">Nothing has come back yet.</p>
          ) : (
            <table className="ledger">
              <tbody>
                {kinds.map((one) => (
                  <tr key={`${one.kind} ${one.state}`}>
                    <td>
                      {KIND_WORDS[one.kind]} <span className="second">{one.state}</span>
                    </td>
                    <td className="figure">
                      <Door to={`/returns?state=${one.state}`}>{count(one.returns)}</Door>
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
          )
        }
      </Await>
    </Section>
  );
}

/** The mailboxes that returns are fetched from, and how they are. */
function Mailboxes() {
  const { zone } = useBrand();
  const [adding, setAdding] = useState(false);
  const pause = useAct((_, box: Mailbox) => client.pauseMailbox({ id: box.id, paused: !box.paused }));
  const look = useAct((_, box: Mailbox) => client.lookIntoMailbox({ id: box.id }));
  return (
    <Section
      head="Mailboxes"
      beside={
        adding ? undefined : (
          <Button size="compact-sm" onClick={() => setAdding(true)}>
            Add one
          </Button>
        )
      }
    >
      {adding ? <MailboxForm done={() => setAdding(false)} /> : null}
      <Await of={useMailboxes()} rows={2}>
        {(boxes) =>
          boxes.length === 0 ? (
            adding ? null : (
              <p className="second">None. Returns come by SMTP alone; they can be fetched from a mailbox, too.</p>
            )
          ) : (
            boxes.map((box) => (
              <p key={box.id}>
                {box.name}: {plural(box.processed, 'message', 'messages')} read
                {box.waiting ? `, ${count(box.waiting)} waiting` : ''}
                <span className="second">
                  {' '}
                  {box.paused
                    ? 'paused'
                    : box.lastPollAt === null
                      ? 'not looked into yet'
                      : `last look ${moment(box.lastPollAt, zone)}`}
                </span>
                {box.paused ? null : (
                  <Button size="compact-xs" variant="subtle" disabled={look.isPending} onClick={() => look.mutate(box)}>
                    Look now
                  </Button>
                )}
                <Button size="compact-xs" variant="subtle" onClick={() => pause.mutate(box)}>
                  {box.paused ? 'Go on' : 'Pause'}
                </Button>
                {box.trouble === null ? null : (
                  <span className="problem" role="status">
                    {box.trouble}
                  </span>
                )}
              </p>
            ))
          )
        }
      </Await>
    </Section>
  );
}

function Decided({ storms }: { storms: Storm[] }) {
  const { zone } = useBrand();
  const decided = storms.filter((storm) => storm.state !== 'held');
  if (decided.length === 0) return null;
  return (
    <Section head="Storms before">
      {decided.map((storm) => (
        <p key={storm.id}>
          {storm.domain}, {plural(storm.contacts, 'contact', 'contacts')}: {storm.state} by {storm.decidedBy},{' '}
          {moment(storm.decidedAt!, zone)}
          <span className="second"> {storm.reason}</span>
          {storm.runId === null ? null : (
            <>
              {' '}
              <Door to={`/runs/${storm.runId}`}>run {storm.runId}</Door>
            </>
          )}
        </p>
      ))}
    </Section>
  );
}

/** Returns in a state, latest first. */
function List() {
  const { zone } = useBrand();
  const [params, setParams] = useSearchParams();
  const state = (params.get('state') ?? 'unmatched') as ReturnItem['state'];
  const pages = usePages();
  return (
    <Section
      head="Returns"
      beside={
        <Select
          aria-label="State"
          data={STATES}
          value={state}
          allowDeselect={false}
          onChange={(value) => setParams({ state: value! })}
          w={180}
        />
      }
    >
      <PageOfRows
        of={useReturns({ state, cursor: pages.cursor, limit: 25 })}
        pages={pages}
        size={25}
        none="None."
        heads={
          <>
            <th>Return</th>
            <th>Of</th>
            <th>Because</th>
            <th className="figure">Came</th>
          </>
        }
      >
        {(row) => (
          <tr key={row.id}>
            <td className="whole">
              <Door to={`/returns/${row.id}`}>{KIND_WORDS[row.kind]}</Door>
            </td>
            <td>
              {row.reading.recipients
                .map((one) => one.address)
                .slice(0, 3)
                .join(', ') || row.envelopeTo.slice(0, 40)}
            </td>
            <td className="said second">{row.because}</td>
            <td className="figure second">{moment(row.receivedAt, zone)}</td>
          </tr>
        )}
      </PageOfRows>
    </Section>
  );
}
