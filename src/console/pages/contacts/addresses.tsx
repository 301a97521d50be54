import { Button, Select, TextInput } from '@mantine/core';
import { useState } from 'react';
import type { LookAlike, Severity } from '../../../shared/contract/addresses.ts';
import type { CheckedAddress } from '../../../shared/contract/addresses.ts';
import { SETTABLE_CODES } from '../../../shared/words.ts';
import { useLookAlikes, useRefused, useSeverities } from '../../api/queries/addresses.ts';
import { useAct } from '../../api/use-act.ts';
import { Await, Finding, Leaf, ProblemNote, Section } from '../../components/page.tsx';
import { percent, plural } from '../../components/words.ts';
import { MendSteps } from './mend-steps.tsx';
import { LongField } from '../../components/long-field.tsx';
import { Rows } from '../../components/rows.tsx';

/** Slips in the domains of our own contacts and their mending; checks of addresses; what is never taken in. */
export default function Addresses() {
  return <Await of={useLookAlikes()}>{(found) => <AddressesPage found={found} />}</Await>;
}

function AddressesPage({ found }: { found: LookAlike[] }) {
  const [chosen, setChosen] = useState<LookAlike | undefined>(found[0]);
  const contacts = found.reduce((sum, one) => sum + one.given.contacts, 0);
  const headline =
    found.length === 0
      ? 'No domain looks like a slip of another'
      : `${plural(found.length, 'domain looks', 'domains look')} like a slip: ${plural(contacts, 'contact', 'contacts')} whom nothing reaches`;
  return (
    <>
      <Finding line="Addresses" headline={headline}>
        Learned from our own contacts: a domain that never delivered, one slip of the fingers from a far commoner one
        that does.
      </Finding>
      <Leaf
        margin={
          <>
            {chosen ? <Mend key={chosen.given.domain} slip={chosen} /> : null}
            <Settings />
          </>
        }
      >
        {found.length > 0 && <Slips found={found} chosen={chosen} choose={setChosen} />}
        <Check />
        <RefuseList />
      </Leaf>
    </>
  );
}

function Slips({
  found,
  chosen,
  choose,
}: {
  found: LookAlike[];
  chosen: LookAlike | undefined;
  choose: (one: LookAlike) => void;
}) {
  return (
    <Section head="Probably slips">
      <Rows
        heads={
          <>
            <th>Domain, and how it did</th>
            <th>Meant, and how that does</th>
            <th />
          </>
        }
      >
        {found.map((one) => (
          <tr key={one.given.domain}>
            <td>
              {one.given.domain}
              <br />
              <span className="second">
                {plural(one.given.contacts, 'contact', 'contacts')},{' '}
                {one.given.accepted === 0
                  ? 'never sent to'
                  : `none of ${plural(one.given.accepted, 'message', 'messages')} delivered`}
              </span>
            </td>
            <td>
              {one.proposed.domain}
              <br />
              <span className="second">
                {plural(one.proposed.contacts, 'contact', 'contacts')},{' '}
                {percent(one.proposed.delivered / one.proposed.accepted, 1)} delivered
              </span>
            </td>
            <td className="figure">{one === chosen ? 'beside' : <Button onClick={() => choose(one)}>Mend</Button>}</td>
          </tr>
        ))}
      </Rows>
    </Section>
  );
}

function Mend({ slip }: { slip: LookAlike }) {
  const [from, to] = [slip.given.domain, slip.proposed.domain];
  return (
    <Section head={`Mend ${from}`}>
      <MendSteps from={from} to={to} />
    </Section>
  );
}

function Check() {
  const [text, setText] = useState('');
  const [checked, setChecked] = useState<CheckedAddress[]>([]);
  const act = useAct((service, given: string[]) => service.checkAddresses({ addresses: given }));
  const given = text.split(/[\s,;]+/).filter((one) => one !== '');
  return (
    <Section head="Check addresses before they come in">
      <div className="stack">
        <LongField aria-label="Addresses to check" placeholder="one a line" value={text} change={setText} maxRows={8} />
        <ProblemNote error={act.error} />
        <Button
          disabled={given.length === 0 || act.isPending}
          onClick={() => act.mutate(given.slice(0, 1000), { onSuccess: setChecked })}
        >
          Check {given.length > 1 ? plural(given.length, 'address', 'addresses') : ''}
        </Button>
      </div>
      {checked.length === 0 ? null : (
        <table className="rows folds" style={{ marginTop: 12 }}>
          <tbody>
            {checked.map((one, index) => (
              <tr key={index}>
                <td>{one.given}</td>
                <td>{VERDICT_WORDS[one.verdict]}</td>
                <td className="second">
                  {one.findings
                    .map((finding) => `${finding.text}${finding.proposal ? ` Meant: ${finding.proposal}?` : ''}`)
                    .join(' ')}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </Section>
  );
}

const VERDICT_WORDS = {
  fine: 'may come in',
  note: 'may come in',
  suppressed: 'suppressed',
  hold: 'held',
  refuse: 'refused',
} as const;

function RefuseList() {
  const [value, setValue] = useState('');
  const [reason, setReason] = useState('');
  const add = useAct((service, input: { value: string; reason: string }) =>
    service.refuse({ values: [input.value], reason: input.reason }),
  );
  const remove = useAct((service, one: string) => service.refuseNoMore({ values: [one] }));
  return (
    <Section head="The refuse-list" beside="not taken in, however they come">
      <div className="row">
        <TextInput
          aria-label="Address or domain"
          placeholder="address or .domain"
          value={value}
          onChange={(event) => setValue(event.currentTarget.value)}
          w={220}
        />
        <TextInput
          aria-label="Why it is refused"
          placeholder="why"
          value={reason}
          onChange={(event) => setReason(event.currentTarget.value)}
          w={220}
        />
        <Button
          disabled={value.trim() === '' || reason.trim() === '' || add.isPending}
          onClick={() => add.mutate({ value, reason }, { onSuccess: () => setValue('') })}
        >
          Refuse
        </Button>
      </div>
      <ProblemNote error={add.error ?? remove.error} />
      <Await of={useRefused()}>
        {({ items }) => (
          <Rows>
            {items.map((one) => (
              <tr key={one.value}>
                <td>{one.value}</td>
                <td className="second">
                  {one.reason}, by {one.actor}
                </td>
                <td className="figure">
                  <Button aria-label={`Remove ${one.value}`} onClick={() => remove.mutate(one.value)}>
                    Remove
                  </Button>
                </td>
              </tr>
            ))}
          </Rows>
        )}
      </Await>
    </Section>
  );
}

const CODE_WORDS: Record<(typeof SETTABLE_CODES)[number], string> = {
  'refuse-list': 'Stands on the refuse-list',
  'null-exchanger': 'Domain says it takes no mail',
  'no-exchanger': 'Domain has nothing that takes mail',
  'look-alike-domain': 'Domain looks like a slip',
  'role-name': 'A post, not a person',
};

/** What each finding does when an address comes in. */
function Settings() {
  const save = useAct((service, change: { code: string; severity: Severity }) =>
    service.saveSeverities({ [change.code]: change.severity }),
  );
  return (
    <Section head="What findings do">
      <Await of={useSeverities()}>
        {(severities) => (
          <div className="stack">
            {SETTABLE_CODES.map((code) => (
              <Select
                key={code}
                label={CODE_WORDS[code]}
                data={['refuse', 'hold', 'note']}
                value={severities[code]}
                allowDeselect={false}
                onChange={(severity) => severity && save.mutate({ code, severity: severity })}
              />
            ))}
            <ProblemNote error={save.error} />
          </div>
        )}
      </Await>
    </Section>
  );
}
