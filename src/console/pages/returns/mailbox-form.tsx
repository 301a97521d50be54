import { NumberInput, PasswordInput, Select, Switch, TextInput } from '@mantine/core';
import { useState } from 'react';
import type { NewMailbox } from '../../../shared/contract/mailboxes.ts';
import { client } from '../../api/client.ts';
import { useBrands } from '../../api/queries/organisation.ts';
import { useAct } from '../../api/use-act.ts';
import { ProblemNote } from '../../components/page.tsx';
import { FormEnd } from '../../components/form.tsx';

const PORTS = { tls: 993, starttls: 143, none: 143 } as const;
const AFTERWARDS = [
  { value: 'leave', label: 'leave it' },
  { value: 'flag', label: 'flag it' },
  { value: 'delete', label: 'delete it' },
  { value: 'move:Avendel', label: 'move it to Avendel' },
];
const OUTCOMES = [
  { name: 'counted', label: 'When it counted' },
  { name: 'noted', label: 'When it is only noted' },
  { name: 'unmatched', label: 'When it matches nothing' },
] as const;

/** Adds a mailbox that returns are fetched from, or changes the one of this name. */
export function MailboxForm({ done }: { done: () => void }) {
  const [box, setBox] = useState<NewMailbox>({
    name: '',
    host: '',
    account: '',
    security: 'tls',
    port: 993,
    folder: 'INBOX',
    idles: true,
    afterwards: { counted: 'leave', noted: 'leave', unmatched: 'leave' },
  });
  const keep = useAct(() => client.keepMailbox(box).then(done));
  const set = (change: Partial<NewMailbox>): void => setBox({ ...box, ...change });
  return (
    <form
      className="stack"
      onSubmit={(event) => {
        event.preventDefault();
        keep.mutate(undefined);
      }}
    >
      <ServerFields box={box} set={set} />
      <LetterFields box={box} set={set} />
      <ProblemNote error={keep.error} />
      <FormEnd keep="Keep" saving={keep.isPending} leave={done} />
    </form>
  );
}

interface Fields {
  box: NewMailbox;
  set: (change: Partial<NewMailbox>) => void;
}

/** Where the mailbox is, and how one gets in. */
function ServerFields({ box, set }: Fields) {
  return (
    <>
      <TextInput
        required
        label="Name"
        description="The name of a mailbox you have changes that one."
        value={box.name}
        onChange={(event) => set({ name: event.currentTarget.value })}
      />
      <TextInput
        required
        label="Server"
        placeholder="imap.larkfield.example"
        value={box.host}
        onChange={(event) => set({ host: event.currentTarget.value })}
      />
      <Select
        label="Line"
        allowDeselect={false}
        data={[
          { value: 'tls', label: 'TLS' },
          { value: 'starttls', label: 'STARTTLS' },
          { value: 'none', label: 'none, on this machine only' },
        ]}
        value={box.security ?? 'tls'}
        onChange={(value) =>
          set({ security: value as NewMailbox['security'], port: PORTS[value as keyof typeof PORTS] })
        }
      />
      <NumberInput
        label="Port"
        min={1}
        max={65535}
        value={box.port}
        onChange={(value) => typeof value === 'number' && set({ port: value })}
      />
      <TextInput
        required
        label="Account"
        value={box.account}
        onChange={(event) => set({ account: event.currentTarget.value })}
      />
      <PasswordInput
        label="Password"
        description="Kept encrypted, for this server, port and account alone. Leave it empty to keep the one there is."
        autoComplete="off"
        value={box.password ?? ''}
        onChange={(event) => set({ password: event.currentTarget.value || undefined })}
      />
    </>
  );
}

/** Which of its letters are read, when, and what becomes of them there. */
function LetterFields({ box, set }: Fields) {
  const brands = useBrands();
  return (
    <>
      <TextInput label="Folder" value={box.folder} onChange={(event) => set({ folder: event.currentTarget.value })} />
      <Select
        label="Brand that its letters are to"
        clearable
        data={(brands.data ?? []).map((brand) => ({ value: String(brand.id), label: brand.name }))}
        value={box.brandId ? String(box.brandId) : null}
        onChange={(value) => set({ brandId: value === null ? null : Number(value) })}
      />
      <Switch
        label="The server tells of news (IDLE); else it is looked into every minute"
        checked={box.idles ?? true}
        onChange={(event) => set({ idles: event.currentTarget.checked })}
      />
      {OUTCOMES.map(({ name, label }) => (
        <Select
          key={name}
          label={label}
          allowDeselect={false}
          data={AFTERWARDS}
          value={box.afterwards?.[name] ?? 'leave'}
          onChange={(value) => set({ afterwards: { ...box.afterwards, [name]: value } })}
        />
      ))}
    </>
  );
}
