import { Button, Textarea, TextInput } from '@mantine/core';
import { IconCheck, IconQuestionMark, IconX } from '@tabler/icons-react';
import { useState } from 'react';
import { dnsWords } from '../../../client/wording/dns.ts';
import type { DkimKey } from '../../../shared/contract/dkim.ts';
import type { DnsRecord } from '../../../shared/contract/relay.ts';
import { useDkimKeys, useDnsRecords } from '../../api/queries/dkim.ts';
import { useAct } from '../../api/use-act.ts';
import { useBrand } from '../../brand.tsx';
import { FormEnd, SheetForm } from '../../components/form.tsx';
import { Await, ProblemNote, Section } from '../../components/page.tsx';
import { Rows } from '../../components/rows.tsx';
import { SureButton } from '../../components/sure-button.tsx';

/** With what the brand's messages are signed, and what the DNS says of its domains. */
export function Signing() {
  const brand = useBrand();
  const [adding, setAdding] = useState(false);
  return (
    <Section head="Signing" beside={<Button onClick={() => setAdding(true)}>New key</Button>}>
      {adding ? <NewKey done={() => setAdding(false)} /> : null}
      <Await of={useDkimKeys(brand.id)} rows={1}>
        {(all) =>
          all.length === 0 ? (
            <p className="second">
              Messages are not signed here; your relay may sign them. A key of the brand’s own signs them before they
              leave.
            </p>
          ) : (
            <Rows
              heads={
                <>
                  <th>Key</th>
                  <th>Domain</th>
                  <th>Signs</th>
                  <td />
                </>
              }
            >
              {all.map((key) => (
                <KeyRow key={key.id} of={key} />
              ))}
            </Rows>
          )
        }
      </Await>
      <h3 style={{ marginTop: 16 }}>What stands in the DNS</h3>
      <Await of={useDnsRecords(brand.id)} rows={3}>
        {(records) => (
          <Rows>
            {records.map((record) => (
              <RecordRow key={`${record.type} ${record.name}`} record={record} />
            ))}
          </Rows>
        )}
      </Await>
    </Section>
  );
}

function KeyRow({ of }: { of: DkimKey }) {
  const sign = useAct((client, signs: boolean) => client.signWithDkimKey({ id: of.brandId, keyId: of.id, signs }));
  const remove = useAct((client, _: void) => client.removeDkimKey({ id: of.brandId, keyId: of.id }));
  return (
    <tr>
      <td>{of.selector}</td>
      <td className="second">{of.domain}</td>
      <td>{of.signs ? 'yes' : 'not yet'}</td>
      <td className="figure">
        <button
          type="button"
          className="act"
          aria-label={of.signs ? `Sign no longer with ${of.selector}` : `Sign with ${of.selector}`}
          onClick={() => sign.mutate(!of.signs)}
        >
          {of.signs ? 'Sign no longer' : 'Sign with it'}
        </button>{' '}
        <SureButton
          ask={`Remove ${of.selector}`}
          sure={`Yes, remove ${of.selector}`}
          act={() => remove.mutate(undefined)}
        >
          Remove
        </SureButton>
        <ProblemNote error={sign.error ?? remove.error} />
      </td>
    </tr>
  );
}

function RecordRow({ record }: { record: DnsRecord }) {
  const { name, type, wanted, purpose, agrees } = record;
  return (
    <tr>
      <td style={{ width: 24 }}>
        {agrees === null ? (
          <IconQuestionMark size={16} aria-hidden />
        ) : agrees ? (
          <IconCheck size={16} aria-hidden />
        ) : (
          <IconX size={16} color="var(--av-stop-mark)" aria-hidden />
        )}
      </td>
      <td className="breaks">
        <span className="said">
          {name}. {type} “{wanted}”
        </span>
        <div className="second">
          {purpose}. {dnsWords(record)}
        </div>
      </td>
    </tr>
  );
}

function NewKey({ done }: { done: () => void }) {
  const brand = useBrand();
  const [given, setGiven] = useState({ selector: '', domain: '', privateKey: '' });
  const add = useAct((client, _: void) =>
    client.addDkimKey({
      id: brand.id,
      selector: given.selector,
      domain: given.domain.trim() || undefined,
      privateKey: given.privateKey.trim() || undefined,
    }),
  );
  const set = (change: Partial<typeof given>): void => setGiven({ ...given, ...change });
  return (
    <SheetForm send={() => add.mutate(undefined, { onSuccess: done })}>
      <TextInput
        required
        label="Selector"
        description="Its name in the DNS. One that was used before is not used again."
        placeholder="dec2026"
        value={given.selector}
        onChange={(event) => set({ selector: event.currentTarget.value })}
      />
      <TextInput
        label="Domain that answers for the messages"
        description={`Left empty: that of ${brand.fromAddress}.`}
        value={given.domain}
        onChange={(event) => set({ domain: event.currentTarget.value })}
      />
      <Textarea
        label="Private key"
        description="An RSA key in PEM; left empty, one of 2048 bits is made. It is kept encrypted and never shown again."
        value={given.privateKey}
        onChange={(event) => set({ privateKey: event.currentTarget.value })}
      />
      <ProblemNote error={add.error} />
      <FormEnd keep="Keep the key" saving={add.isPending} leave={done} />
    </SheetForm>
  );
}
