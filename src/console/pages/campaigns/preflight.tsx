import { Button, SegmentedControl, TextInput } from '@mantine/core';
import { useState } from 'react';
import { Link, useNavigate } from 'react-router';
import { windowWords } from '../../../client/wording/window.ts';
import type { Campaign, WavePlan } from '../../../shared/contract/campaigns.ts';
import type { LeftOutBy } from '../../../shared/contract/held-by.ts';
import type { MessagePreview } from '../../../shared/contract/messages.ts';
import { InSpite, useSayInSpite } from './in-spite.tsx';
import type { Preflight } from '../../../shared/contract/sending.ts';
import { usePreflight, usePreflightContacts } from '../../api/queries/campaigns.ts';
import { useCheck, usePreview } from '../../api/queries/messages.ts';
import { useLists } from '../../api/queries/organisation.ts';
import { useSegments } from '../../api/queries/segments.ts';
import { useAct } from '../../api/use-act.ts';
import { hasTyped } from '../../api/use-typed.ts';
import { useBrand } from '../../brand.tsx';
import { messageOf } from '../../../client/wording/findings.ts';
import { heldByWords, leftOutWords } from '../../../client/wording/held-by.ts';
import { Await, Door, Finding, Leaf, ProblemNote, Section } from '../../components/page.tsx';
import { SureButton } from '../../components/sure-button.tsx';
import { DoOrNot } from '../../components/form.tsx';
import { Steps, useOpenReason, type OpenReason } from '../../components/steps.tsx';
import { count, moment, percent, plural, reasonWord } from '../../components/words.ts';
import { Schedule } from './schedule.tsx';
import { Editor, placeOfDraft } from './editor.tsx';
import { Rows } from '../../components/rows.tsx';

/** A draft: who will get it, who is held back and why; the decision in the margin, then the message. */
export function PreflightPage({ campaign }: { campaign: Campaign }) {
  const { zone, name } = useBrand();
  const [editing, setEditing] = useState(hasTyped(placeOfDraft(campaign.id)));
  return (
    <Await of={usePreflight(campaign.id)} rows={12}>
      {(preflight) => (
        <>
          <Finding
            line={`${campaign.name}, campaign for ${name}, ${campaign.state === 'scheduled' ? `starts ${moment(campaign.startsAt!, zone)}` : campaign.state === 'paused' ? 'not started' : `draft saved ${moment(campaign.changedAt, zone)}`}`}
            headline={
              <>
                {count(preflight.willGet)} of {count(preflight.audience)} will get this
              </>
            }
          >
            {campaign.state === 'paused' ? <>It waits for you: {campaign.pausedBecause}. </> : null}
            <Summary preflight={preflight} />
          </Finding>
          {editing ? <Editor campaign={campaign} onDone={() => setEditing(false)} /> : null}
          <Leaf
            margin={
              <>
                <Decision campaign={campaign} preflight={preflight} onEdit={() => setEditing(true)} />
                <Message campaign={campaign} />
              </>
            }
          >
            <Audience campaign={campaign} preflight={preflight} />
            <Parts campaign={campaign} preflight={preflight} />
            <Domains preflight={preflight} />
          </Leaf>
        </>
      )}
    </Await>
  );
}

function Summary({ preflight }: { preflight: Preflight }) {
  if (preflight.heldBack === 0) return <>Nobody is held back.</>;
  const largest = [...preflight.reasons].sort((a, b) => b.contacts - a.contacts).slice(0, 3);
  const lesser = preflight.reasons.length - largest.length;
  return (
    <>
      {count(preflight.heldBack)} are held back:{' '}
      {largest
        .map((row) => `${count(row.contacts)} ${row.by ? `left out by ${row.by.name}` : reasonWord(row.reason)}`)
        .join(', ')}
      {lesser > 0 ? `, and ${plural(lesser, 'lesser reason', 'lesser reasons')}` : ''}. Each is counted once, under the
      first reason that applies.
    </>
  );
}

function Audience({ campaign, preflight }: { campaign: Campaign; preflight: Preflight }) {
  const lists = useLists().data ?? [];
  const [open, toggle] = useOpenReason();
  const segments = useSegments(campaign.brandId).data ?? [];
  const named = (listIds: number[], segmentIds: number[]): string =>
    [
      ...listIds.map((id) => lists.find((list) => list.id === id)?.name),
      ...segmentIds.map((id) => `“${segments.find((one) => one.id === id)?.name ?? ''}”`),
    ].join(' and ');
  return (
    <section className="section">
      <p className="second" style={{ marginBottom: 8 }}>
        {count(preflight.audience)} in the audience: {named(campaign.listIds, campaign.segmentIds)}
        {campaign.leftOutListIds.length + campaign.leftOutSegmentIds.length > 0
          ? `, without ${named(campaign.leftOutListIds, campaign.leftOutSegmentIds)}`
          : ''}
        {campaign.restDays === null
          ? ''
          : `, nor whoever had a message in the last ${plural(campaign.restDays, 'day', 'days')}`}
        {campaign.priority === 3 ? '' : `; priority ${campaign.priority}`}
      </p>
      <Steps preflight={preflight} open={open} onOpen={toggle} />
      <InSpite campaign={campaign} preflight={preflight} />
      {preflight.setAside.map((one) => (
        <SetAside key={one.exclusionId} campaign={campaign} one={one} />
      ))}
      {open ? <Held key={open.by?.id} campaign={campaign} of={open} /> : null}
    </section>
  );
}

/** Whom one line holds back; if a standing exclusion does, with the way to do without it. */
function Held({ campaign, of: { reason, by } }: { campaign: Campaign; of: OpenReason }) {
  const { zone } = useBrand();
  const of = { reason, by: by ? `${by.kind} ${by.id}` : undefined };
  return (
    <div style={{ marginTop: 16 }}>
      <h3>
        Held back because {reasonWord(reason)}
        {by ? `, ${leftOutWords(by)}` : ''}, the first twenty
      </h3>
      {by?.kind === 'exclusion' ? <DoWithout campaign={campaign} exclusion={by} /> : null}
      <Await of={usePreflightContacts(campaign.id, of, true)} rows={4}>
        {({ items }) => (
          <Rows>
            {items.map((contact) => (
              <tr key={contact.contactId}>
                <td>
                  <Door to={`/contacts/${contact.contactId}`}>{contact.name ?? contact.address}</Door>
                </td>
                <td className="second">{contact.address}</td>
                <td className="second">
                  {[
                    heldByWords({ leftOutBy: null, cappedBy: reason === 'capped' ? contact.cappedBy : null }, (at) =>
                      moment(at, zone),
                    ),
                    contact.reasons.length > 1 ? `also ${contact.reasons.slice(1).map(reasonWord).join(', ')}` : '',
                  ]
                    .filter(Boolean)
                    .join('; ')}
                </td>
              </tr>
            ))}
          </Rows>
        )}
      </Await>
    </div>
  );
}

function DoWithout({ campaign, exclusion }: { campaign: Campaign; exclusion: LeftOutBy }) {
  const [asked, setAsked] = useState(false);
  const [reason, setReason] = useState('');
  const act = useAct((client, _: void) =>
    client.setExclusionAside({ id: campaign.id, exclusionId: exclusion.id, reason }),
  );
  if (!asked) return <Button onClick={() => setAsked(true)}>Set “{exclusion.name}” aside in this campaign</Button>;
  return (
    <div className="sheet stack" role="group" aria-label={`Set ${exclusion.name} aside`}>
      <TextInput
        label="Why this campaign does without it"
        description="Kept on record and shown in the report. What is suppressed stays out."
        required
        autoFocus
        value={reason}
        onChange={(event) => setReason(event.currentTarget.value)}
      />
      <ProblemNote error={act.error} />
      <DoOrNot
        what={`Set ${exclusion.name} aside`}
        ready={reason.trim() !== '' && !act.isPending}
        act={() => act.mutate(undefined)}
        leave={() => setAsked(false)}
      />
    </div>
  );
}

function SetAside({ campaign, one }: { campaign: Campaign; one: Preflight['setAside'][number] }) {
  const act = useAct((client, _: void) => client.takeExclusionUp({ id: campaign.id, exclusionId: one.exclusionId }));
  return (
    <p role="note">
      It does without “{one.name}”: {one.reason} <span className="second">({one.setBy})</span>{' '}
      <button type="button" className="act" onClick={() => act.mutate(undefined)}>
        Take it up again
      </button>
      <ProblemNote error={act.error} />
    </p>
  );
}

/** In which parts it goes, and when. */
function Parts({ campaign, preflight }: { campaign: Campaign; preflight: Preflight }) {
  const { zone } = useBrand();
  if (preflight.waves.length === 0 && campaign.sendWindow === null) return null;
  return (
    <Section
      head="Time"
      beside={campaign.sendWindow ? `sent ${windowWords(campaign.sendWindow)}, ${zone}` : 'at any hour'}
    >
      {preflight.waves.length === 0 ? null : (
        <Rows
          heads={
            <>
              <th>Wave</th>
              <th>Who</th>
              <th>Begins</th>
              <th className="figure">Will get it</th>
              <th className="figure">Held back</th>
            </>
          }
        >
          {preflight.waves.map((one) => (
            <tr key={one.wave}>
              <td>{one.wave}</td>
              <td>
                {one.who}
                {one.odd ? <span className="problem"> {one.odd}</span> : null}
              </td>
              <td className="second">{beginWords(campaign.waves?.[one.wave - 1], zone)}</td>
              <td className="figure">{count(one.willGet)}</td>
              <td className="figure">{count(one.heldBack)}</td>
            </tr>
          ))}
        </Rows>
      )}
    </Section>
  );
}

function beginWords(plan: WavePlan | undefined, zone: string): string {
  if (!plan) return '';
  const when = plan.at
    ? moment(plan.at, zone)
    : plan.afterHours === null
      ? 'at the start'
      : `${plural(plan.afterHours, 'hour', 'hours')} after the one before`;
  return plan.test ? `${when}, if that went well` : when;
}

function Domains({ preflight }: { preflight: Preflight }) {
  return (
    <Section head={`Where the ${count(preflight.willGet)} receive`} beside="bounce rate of 30 days">
      <table className="rows">
        <thead>
          <tr>
            <th>Receiving domain</th>
            <th className="figure">Will get it</th>
            <th className="figure">Bounced</th>
          </tr>
        </thead>
        <tbody>
          {preflight.domains.map((row) => (
            <tr key={row.domain}>
              <td>{row.domain}</td>
              <td className="figure">{count(row.contacts)}</td>
              <td className="figure">{row.accepted === 0 ? 'none sent' : percent(row.bounced / row.accepted)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </Section>
  );
}

function Decision({ campaign, preflight, onEdit }: { campaign: Campaign; preflight: Preflight; onEdit: () => void }) {
  const { zone } = useBrand();
  const start = useAct((client, _: void) =>
    client.startCampaign({
      id: campaign.id,
      expect: preflight.willGet,
      inSpite: preflight.reachedInSpite,
      version: preflight.version,
    }),
  );
  const goOn = useNavigate();
  const remove = useAct(async (client, _: void) => {
    await client.removeDraft({ id: campaign.id, version: campaign.version });
    void goOn('/campaigns', { replace: true });
  });
  const fit = preflight.problems.length === 0;
  const [asked, setAsked] = useState(false);
  return (
    <Section head="Send">
      <div className="stack">
        <span className="second">
          Counted at {moment(preflight.countedAt, zone)}; counted again when you send, and at the gate for each.
        </span>
        {preflight.problems.map((problem, index) => (
          <div key={index} className="problem">
            {placeWords(problem)}
            {problem.message}
          </div>
        ))}
        {fit ? <WorthALook campaign={campaign} /> : null}
        <ProblemNote error={start.error ?? remove.error} />
        {asked ? (
          <Sure
            campaign={campaign}
            preflight={preflight}
            busy={start.isPending}
            send={() => start.mutate(undefined)}
            leave={() => setAsked(false)}
          />
        ) : (
          <>
            <button
              type="button"
              className="main-button"
              disabled={!fit || preflight.willGet === 0}
              onClick={() => setAsked(true)}
            >
              Send to {count(preflight.willGet)}
            </button>
            <Schedule campaign={campaign} preflight={preflight} />
            {campaign.state === 'draft' ? (
              <>
                <Button component={Link} to={`/campaigns/${campaign.id}/message`}>
                  Write the message
                </Button>
                <Button onClick={onEdit}>Edit the draft</Button>
              </>
            ) : null}
            {campaign.state === 'draft' ? (
              <SureButton
                ask={`Delete ${campaign.name}`}
                sure={`Yes, delete ${campaign.name}`}
                act={() => remove.mutate(undefined)}
              >
                Delete
              </SureButton>
            ) : null}
          </>
        )}
      </div>
    </Section>
  );
}

/** A message that has left does not come back: what it is and whom it goes to is said once more. */
function Sure({
  campaign,
  preflight: { willGet, reachedInSpite },
  busy,
  send,
  leave,
}: {
  campaign: Campaign;
  preflight: Preflight;
  busy: boolean;
  send: () => void;
  leave: () => void;
}) {
  const { field, isSaid } = useSayInSpite(reachedInSpite);
  const first = usePreflightContacts(campaign.id, {}, true).data?.items ?? [];
  return (
    <div className="sheet stack" role="group" aria-label="Send it?">
      <span>
        <strong>{campaign.name}</strong>, with the subject “{campaign.subject}”, leaves for{' '}
        {plural(willGet, 'person', 'people')}{' '}
        {campaign.waves ? `in ${campaign.waves.length} waves, the first now` : 'at once'}.
      </span>
      {first.length > 0 ? (
        <span className="second">
          Of the first {first.length}: from {first[0]!.address} to {first.at(-1)!.address}.
        </span>
      ) : null}
      {field}
      <button type="button" className="main-button" autoFocus disabled={busy || !isSaid} onClick={send}>
        Yes, send it to {count(willGet)}
      </button>
      <Button onClick={leave}>Not yet</Button>
    </div>
  );
}

/** What the check finds worth a look, with the way to its place. */
function WorthALook({ campaign }: { campaign: Campaign }) {
  const looks = useCheck(campaign.id, messageOf(campaign)).data?.findings.filter(({ weight }) => weight === 'look');
  if (!looks || looks.length === 0) return null;
  return (
    <div className="second">
      <Door to={`/campaigns/${campaign.id}/message`}>{count(looks.length)}</Door>{' '}
      {looks.length === 1 ? 'thing in the message is' : 'things in the message are'} worth a look:{' '}
      {looks.map(({ title }) => title).join('; ')}.
    </div>
  );
}

const FIELD_WORDS: Record<string, string> = {
  subject: 'the subject',
  previewLine: 'the line shown after it',
  html: 'the message',
  text: 'the plain text',
};

/** Where in the message something is wrong; where it has no end it is about all of it. */
function placeWords({ field, at, end }: Preflight['problems'][number]): string {
  return at === end ? '' : `In ${FIELD_WORDS[field] ?? field}, at its character ${count(at)}: `;
}

function Seen({ message, links, plain }: { message: MessagePreview['message']; links: number; plain: boolean }) {
  return (
    <div className="sheet">
      <strong>{message.subject || 'no subject yet'}</strong>
      <div className="second">
        {message.from.name}, {message.from.address}
      </div>
      {plain || message.html === null ? (
        <pre className="said as-written" style={{ maxHeight: 320, overflow: 'auto' }} tabIndex={0}>
          {message.text}
        </pre>
      ) : (
        <iframe
          title="The message as it is seen"
          sandbox=""
          srcDoc={message.html}
          style={{ width: '100%', height: 260, border: 0, background: '#fff', marginTop: 8 }}
        />
      )}
      <div className="second">
        Unsubscribe link and one-click header present; {plural(links, 'link', 'links')}
        {message.html === null ? ', plain text alone' : ' and a trap link'}.
      </div>
    </div>
  );
}

function Message({ campaign }: { campaign: Campaign }) {
  const [form, setForm] = useState('Formatted');
  const [typed, setTyped] = useState('');
  // Empty for whoever comes first.
  const [address, setAddress] = useState('');
  return (
    <Section
      head="Message"
      beside={
        <SegmentedControl
          size="xs"
          color="var(--av-ink)"
          data={['Formatted', 'Plain']}
          value={form}
          onChange={setForm}
          aria-label="Form of the preview"
        />
      }
    >
      <form
        style={{ marginBottom: 8 }}
        onSubmit={(event) => {
          event.preventDefault();
          setAddress(typed.trim());
        }}
      >
        <TextInput
          size="xs"
          label="As this contact gets it"
          placeholder="an address, then Enter"
          value={typed}
          onChange={(event) => setTyped(event.currentTarget.value)}
        />
      </form>
      <Await of={usePreview(campaign.id, address === '' ? undefined : address)} rows={3}>
        {({ message, links }) => <Seen message={message} links={links.length} plain={form === 'Plain'} />}
      </Await>
    </Section>
  );
}
