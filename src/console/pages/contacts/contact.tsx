import { ActionIcon, Button, CopyButton } from '@mantine/core';
import { IconCheck, IconCopy } from '@tabler/icons-react';
import { useState } from 'react';
import { useParams } from 'react-router';
import type { AddressCheck, BrandVerdict, ContactDetail, Subscription } from '../../../shared/contract/contacts.ts';
import type { Entry } from '../../../shared/contract/suppression.ts';
import { useCheckOfContact, useContact } from '../../api/queries/contacts.ts';
import { useStopped } from '../../api/queries/suppression.ts';
import { useAct } from '../../api/use-act.ts';
import { useBrand } from '../../brand.tsx';
import { Capped } from '../../components/capped.tsx';
import { ReasonMark, Stage } from '../../components/marks.tsx';
import { Await, Door, Finding, Leaf, ProblemNote, Section } from '../../components/page.tsx';
import { useNarrow } from '../../components/narrow.ts';
import { entryPath } from '../../components/doors.ts';
import { day, moment, plural } from '../../components/words.ts';
import { EraseContact, MendAddress, Proof, RestoreContact } from './contact-acts.tsx';
import { UnsubscribeOnRequest } from '../../components/unsubscribe-on-request.tsx';
import { TimeLine } from './time-line.tsx';
import { LongField } from '../../components/long-field.tsx';
import { Rows } from '../../components/rows.tsx';

/** One contact: the verdict is the headline; then why, subscriptions, time line and journal. */
export default function Contact() {
  const id = Number(useParams()['id']);
  return (
    <Await of={useContact(id)}>
      {(contact) =>
        contact.erasedAt === null ? (
          <Checked key={contact.id} contact={contact} />
        ) : (
          <Erased erasedAt={contact.erasedAt} />
        )
      }
    </Await>
  );
}

/** Of whom nothing is left but that they were there. */
function Erased({ erasedAt }: { erasedAt: string }) {
  const { zone } = useBrand();
  return (
    <Finding line={`Erased ${moment(erasedAt, zone)}`} headline="This person was erased">
      Their name, their address and everything they said are gone, and nothing brings them back. A digest of the address
      stays, so that no import and no form does either. What campaigns have counted stays, without them.
    </Finding>
  );
}

function Checked({ contact }: { contact: ContactDetail }) {
  const brand = useBrand();
  const narrow = useNarrow();
  return (
    <Await of={useCheckOfContact(contact.address)}>
      {(check) => {
        const verdict = check.brands.find((one) => one.brandId === brand.id)!;
        const others = check.brands.filter((one) => one.brandId !== brand.id);
        return (
          <>
            <Finding
              line={<Identity contact={contact} verdict={verdict} />}
              headline={sentence(verdict, contact.name ?? contact.address)}
            >
              {others.map((one) => (
                <span key={one.brandId}>
                  {one.eligible
                    ? `For ${one.brandName} we may. `
                    : `${verdict.eligible ? 'But not' : 'Nor'} for ${one.brandName}: ${one.because[0]?.text}. `}
                </span>
              ))}
            </Finding>
            <Leaf margin={<Margin contact={contact} check={check} verdict={verdict} />}>
              <Why check={check} verdict={verdict} />
              {narrow ? null : <TimeLine contactId={contact.id} />}
            </Leaf>
            {/* What can be done comes before everything that was. */}
            {narrow ? <TimeLine contactId={contact.id} /> : null}
          </>
        );
      }}
    </Await>
  );
}

function sentence(verdict: BrandVerdict, name: string): string {
  if (verdict.eligible) return `We may write to ${name} for ${verdict.brandName}.`;
  return `We may not write to ${name} for ${verdict.brandName}: ${verdict.because[0]?.text}.`;
}

function Identity({ contact, verdict }: { contact: ContactDetail; verdict: BrandVerdict }) {
  const { zone } = useBrand();
  return (
    <span className="row">
      <strong className="serif">{contact.name}</strong>
      <span className="mark">
        {contact.address}
        <CopyButton value={contact.address}>
          {({ copied, copy }) => (
            <ActionIcon variant="subtle" color="gray" size="sm" onClick={copy} aria-label="Copy the address">
              {copied ? <IconCheck size={15} /> : <IconCopy size={15} />}
            </ActionIcon>
          )}
        </CopyButton>
      </span>
      <Stage stage={verdict.stage} />
      <span>
        {plural(verdict.silentDays, 'day', 'days')} of silence, {plural(verdict.messages, 'message', 'messages')} in it
      </span>
      {contact.tags.length > 0 ? <span className="second">tagged {contact.tags.join(', ')}</span> : null}
      {contact.verdict ? <span className="second">{verifiedWords(contact, zone)}</span> : null}
      {contact.mergedInto === null ? null : (
        <Door to={`/contacts/${contact.mergedInto}`}>merged into another contact</Door>
      )}
    </span>
  );
}

/** What an outside verifier said, of when: a verdict ages. */
function verifiedWords({ verdict, verdictCause }: ContactDetail, zone: string): string {
  return verdictCause
    ? `${verdict}, said ${verdictCause.source} on ${day(verdictCause.checkedAt, zone)}`
    : (verdict ?? '');
}

function Why({ check, verdict }: { check: AddressCheck; verdict: BrandVerdict }) {
  const { zone } = useBrand();
  return (
    <>
      {verdict.because.length > 0 && (
        <Section
          head={verdict.because.length === 1 ? 'Why' : `Why: ${verdict.because.length} reasons, the first decides`}
        >
          {verdict.because.map(({ reason, text }) => (
            <div key={reason} style={{ padding: '4px 0' }}>
              <ReasonMark reason={reason} />
              <span className="second">: {text}</span>
            </div>
          ))}
        </Section>
      )}
      {verdict.capped ? (
        <Section head="Not just now">
          <Capped verdict={verdict} />
        </Section>
      ) : null}
      {check.bounces.length > 0 && (
        <Section head={`${plural(check.bounces.length, 'bounce', 'bounces')} on record`}>
          <Rows
            heads={
              <>
                <th>When</th>
                <th>Campaign</th>
                <th>What the receiving server said</th>
                <th className="figure">Class</th>
              </>
            }
          >
            {check.bounces.map((bounce) => (
              <tr key={bounce.id}>
                <td>{moment(bounce.at, zone)}</td>
                <td>
                  {bounce.campaignId === null ? (
                    ''
                  ) : (
                    <Door to={`/campaigns/${bounce.campaignId}`}>{bounce.campaignName}</Door>
                  )}
                </td>
                <td className="said">{bounce.reply}</td>
                <td className="figure">{bounce.class}</td>
              </tr>
            ))}
          </Rows>
        </Section>
      )}
    </>
  );
}

function Margin({ contact, check, verdict }: { contact: ContactDetail; check: AddressCheck; verdict: BrandVerdict }) {
  const inEffect = check.entries.filter(isInEffect);
  return (
    <>
      <Section head="What can be done">
        {verdict.eligible && inEffect.length === 0 ? (
          <p className="second">Nothing stands in the way. The permission is below.</p>
        ) : null}
        {inEffect.map((entry) =>
          entry.kind === 'domain' ? <OfDomain key={entry.id} entry={entry} /> : <Lift key={entry.id} entry={entry} />,
        )}
        {!verdict.eligible && inEffect.length === 0 ? (
          <p className="second">Only the contact can mend this, by signing up again. An import cannot.</p>
        ) : null}
      </Section>
      <Subscriptions of={contact.subscriptions} />
      <Proof contactId={contact.id} />
      <Section head="When they ask">
        <div className="stack">
          {contact.subscriptions.some((row) => hasNotLeft(row) && row.brandId === verdict.brandId) ? (
            <UnsubscribeOnRequest address={contact.address} subscriptions={contact.subscriptions} />
          ) : null}
          {contact.archivedAt === null ? null : <RestoreContact contact={contact} />}
          {contact.mergedInto === null ? <MendAddress contact={contact} /> : null}
          <EraseContact contact={contact} brands={check.brands} />
        </div>
      </Section>
      {Object.keys(contact.attributes).length > 0 && <Attributes of={contact.attributes} />}
    </>
  );
}

function Subscriptions({ of }: { of: Subscription[] }) {
  const { zone } = useBrand();
  return (
    <Section head="Subscriptions">
      <table className="ledger">
        <tbody>
          {of.map((row) => (
            <tr key={row.listId}>
              <td>{row.listName}</td>
              <td className="figure second">
                {row.state === null ? 'never' : `${howIsOn(row)} ${day(row.since!, zone)}`}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </Section>
  );
}

/** What stands before the day since when. */
function howIsOn({ state, endedBy }: Subscription): string {
  if (state === 'pending') return 'unconfirmed since';
  if (state !== 'unsubscribed') return 'since';
  return endedBy === 'contact' ? 'left' : `taken off by ${endedBy}`;
}

function Attributes({ of }: { of: ContactDetail['attributes'] }) {
  return (
    <Section head="Attributes">
      <table className="ledger">
        <tbody>
          {Object.entries(of).map(([name, value]) => (
            <tr key={name}>
              <td>{name}</td>
              <td className="figure second">{value === true ? 'yes' : value === false ? 'no' : String(value)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </Section>
  );
}

function isInEffect({ liftedAt, expiresAt }: Entry): boolean {
  return liftedAt === null && (expiresAt === null || Date.parse(expiresAt) > Date.now());
}

/** Whoever was taken off can still say for themselves that they want no more. */
function hasNotLeft({ state, endedBy }: Subscription): boolean {
  return state === 'subscribed' || (state === 'unsubscribed' && endedBy !== 'contact');
}

/** An entry for a whole domain is not lifted through one person: it leads to where all whom it stops are seen. */
function OfDomain({ entry }: { entry: Entry }) {
  const stopped = useStopped([entry.value]).data;
  return (
    <div className="stack" style={{ paddingBottom: 12 }}>
      <span>
        The domain <strong>{entry.value}</strong> is on <strong>{entry.listName}</strong>: {entry.reason}
      </span>
      <span className="second">
        {stopped ? `It stops ${plural(stopped.contacts, 'contact', 'contacts')}. ` : ''}
        <Door to={entryPath(entry)}>Look at the entry</Door>
      </span>
    </div>
  );
}

/** Lifts one entry, with a reason. What the contact said themselves offers none: it says who alone can lift it. */
function Lift({ entry }: { entry: Entry }) {
  const [reason, setReason] = useState<string | null>(null);
  const lift = useAct((client, why: string) => client.lift({ entryIds: [entry.id], reason: why }));
  return (
    <div className="stack" style={{ paddingBottom: 12 }}>
      <span>
        On <strong>{entry.listName}</strong>: {entry.reason}
      </span>
      {entry.notLiftable === null ? null : <span className="second">{entry.notLiftable}</span>}
      {entry.notLiftable === null && reason === null ? (
        <Button onClick={() => setReason('')}>Lift it, with a reason</Button>
      ) : null}
      {reason === null ? null : (
        <>
          <LongField label="Why may we write again?" value={reason} change={setReason} />
          <ProblemNote error={lift.error} />
          <Button disabled={reason.trim() === '' || lift.isPending} onClick={() => lift.mutate(reason)}>
            Lift the entry
          </Button>
        </>
      )}
    </div>
  );
}
