import { Button, TextInput } from '@mantine/core';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import type { SignUp } from '../../../shared/contract/permission.ts';
import type { BrandVerdict, ContactDetail } from '../../../shared/contract/contacts.ts';
import { useAct } from '../../api/use-act.ts';
import { useContactSignUps } from '../../api/queries/permission.ts';
import { useBrand } from '../../brand.tsx';
import { Await, ProblemNote, Section } from '../../components/page.tsx';
import { moment, SIGN_UP_WAYS } from '../../components/words.ts';
import { MendSteps } from './mend-steps.tsx';
import { LongField, WhyField } from '../../components/long-field.tsx';
import { DoOrNot } from '../../components/form.tsx';

/** How a contact came onto their lists: when, how, from where, to what text, confirmed when. */
export function Proof({ contactId }: { contactId: number }) {
  const { zone } = useBrand();
  return (
    <Await of={useContactSignUps(contactId)}>
      {(signUps) =>
        signUps.length === 0 ? null : (
          <Section head="Proof of permission">
            {signUps.map((one) => (
              <p key={one.id}>
                {one.listName}, {moment(one.at, zone)}
                <br />
                <span className="second">{proofWords(one, zone)}</span>
              </p>
            ))}
          </Section>
        )
      }
    </Await>
  );
}

function proofWords(one: SignUp, zone: string): string {
  const where = one.network ? ` from ${one.network}` : one.source ? `: consent given at “${one.source}”` : '';
  const confirmed =
    one.state === 'confirmed' && one.confirmedAt && one.way !== 'preferences'
      ? `, confirmed ${moment(one.confirmedAt, zone)}${one.confirmedNetwork ? ` from ${one.confirmedNetwork}` : ''}`
      : '';
  const state =
    one.state === 'confirmed' || one.state === 'noted'
      ? ''
      : `, ${one.state === 'pending' ? 'waits to confirm' : one.state}${one.because ? `: ${one.because}` : ''}`;
  return `By ${SIGN_UP_WAYS[one.way]}${where}${confirmed}${state}.${one.agreed === '' ? '' : ` Agreed to “${one.agreed}”`}`;
}

/** A slip in the address of one contact: what was is kept, and can come back. */
export function MendAddress({ contact }: { contact: ContactDetail }) {
  const [text, setText] = useState<string | null>(null);
  // What it was when it began: once it is mended, the contact has another.
  const [from, setFrom] = useState(contact.address);
  const [to, setTo] = useState('');
  const begin = (): void => {
    setText(contact.address);
    setFrom(contact.address);
  };
  if (text === null) return <Button onClick={begin}>Mend the address</Button>;
  return (
    <>
      <form
        onSubmit={(event) => {
          event.preventDefault();
          setTo(text.trim() === contact.address ? '' : text.trim());
        }}
      >
        <TextInput
          label="What it should be"
          description="Press Enter to see what that would change."
          value={text}
          onChange={(event) => setText(event.currentTarget.value)}
        />
      </form>
      {to === '' ? null : <MendSteps key={to} from={from} to={to} />}
    </>
  );
}

/** Brings an archived contact back: it is one person, and can be undone. */
export function RestoreContact({ contact }: { contact: ContactDetail }) {
  const [reason, setReason] = useState<string | null>(null);
  const act = useAct((client, why: string) =>
    client.applyAct({ act: 'restore', addresses: [contact.address], expect: 1, reason: why }),
  );
  if (reason === null) return <Button onClick={() => setReason('')}>Restore from the archive</Button>;
  return (
    <div className="stack">
      <WhyField value={reason} change={setReason} />
      <ProblemNote error={act.error} />
      <DoOrNot
        what="Restore"
        ready={reason.trim() !== '' && !act.isPending}
        act={() => act.mutate(reason)}
        leave={() => setReason(null)}
      />
    </div>
  );
}

/** Removes a person for good. Typing the count is asked for, because nothing brings them back. */
export function EraseContact({ contact, brands }: { contact: ContactDetail; brands: BrandVerdict[] }) {
  const writing = brands.filter(({ eligible }) => eligible).map(({ brandName }) => brandName);
  const go = useNavigate();
  const [open, setOpen] = useState(false);
  const [reason, setReason] = useState('');
  const [typed, setTyped] = useState('');
  // The page of the run is gone to before anything is asked for again: the contact shown here is no more.
  const act = useAct(async (client, why: string) => {
    const run = await client.applyAct({
      act: 'erase',
      addresses: [contact.address],
      expect: 1,
      expectMailable: Math.min(1, writing.length),
      reason: why,
    });
    void go(`/runs/${run.id}`);
  });
  if (!open) return <Button onClick={() => setOpen(true)}>Erase this person</Button>;
  return (
    <div className="stack">
      <span className="second">
        Name, address and everything they said go from every table and kept file. A digest of the address stays, so that
        no import and no form brings them back. This cannot be undone.
        {writing.length > 0 ? ` ${writing.join(' and ')} may still write to them until then.` : ''}
      </span>
      <LongField label="Why" description="Do not write who; that is what goes." value={reason} change={setReason} />
      <TextInput
        label="How many people is this? Type 1"
        value={typed}
        onChange={(event) => setTyped(event.currentTarget.value)}
      />
      <ProblemNote error={act.error} />
      <Button
        disabled={reason.trim() === '' || typed.trim() !== '1' || act.isPending}
        onClick={() => act.mutate(reason)}
      >
        Erase for good
      </Button>
      <Button onClick={() => setOpen(false)}>Keep them</Button>
    </div>
  );
}
