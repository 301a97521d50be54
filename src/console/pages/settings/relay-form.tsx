import { NumberInput, SegmentedControl, Select, Textarea, TextInput } from '@mantine/core';
import type { KeptRelay, NewRelay, RelaySecurity } from '../../../shared/contract/relay.ts';
import { useAct } from '../../api/use-act.ts';
import { useTyped } from '../../api/use-typed.ts';
import { FormEnd, SheetForm } from '../../components/form.tsx';
import { ProblemNote } from '../../components/page.tsx';
import { TypedNote } from '../../components/typed-note.tsx';

const WORDS = {
  name: 'Name',
  host: 'Host',
  port: 'Port',
  security: 'Encrypted',
  certificate: 'Trusted authorities',
  account: 'Account',
  passwordIn: 'Its password is in',
  passwordName: 'Name of that',
  connections: 'Messages at once',
  perHour: 'Messages an hour',
  returnsTo: 'Returns come to',
} as const;

const SECURITIES: { value: RelaySecurity; label: string }[] = [
  { value: 'starttls', label: 'once greeted (STARTTLS)' },
  { value: 'tls', label: 'from the beginning (TLS)' },
  { value: 'none', label: 'not, on this machine' },
];

const fieldsOf = (relay: KeptRelay | undefined) => ({
  name: relay?.name ?? '',
  host: relay?.host ?? '',
  port: relay?.port ?? 587,
  security: relay?.security ?? 'starttls',
  certificate: relay?.certificate ?? '',
  account: relay?.account ?? '',
  passwordIn: relay?.passwordFile ? ('file' as const) : ('variable' as const),
  passwordName: relay?.passwordVariable ?? relay?.passwordFile ?? '',
  connections: relay?.connections ?? 8,
  perHour: relay?.perHour ?? ('' as number | ''),
  returnsTo: relay?.returnsTo ?? '',
});

/** Where what is typed into the form of a relay, or of a new one, and not kept is found again. */
export const placeOfRelay = (relay?: KeptRelay): string => (relay ? `relay ${relay.id}` : 'new relay');

/** Adds a relay, or changes one. */
export function RelayForm({ relay, done }: { relay?: KeptRelay; done: () => void }) {
  const form = useTyped(placeOfRelay(relay), fieldsOf(relay), relay?.version ?? 0);
  const { typed, set } = form;
  const keep = useAct((client, _: void) =>
    relay
      ? client.changeRelay({ id: relay.id, ...settingsOf(typed), version: form.version })
      : client.addRelay(settingsOf(typed)),
  );
  const submit = (): void => keep.mutate(undefined, { onSuccess: ({ version }) => (form.wasKept(version), done()) });
  return (
    <SheetForm send={submit}>
      {keep.isPending ? null : <TypedNote form={form} words={WORDS} show={(value) => String(value) || 'nothing'} />}
      <ServerFields typed={typed} set={set} />
      <TextInput
        label={WORDS.account}
        description="Left empty where nobody has to sign in."
        value={typed.account}
        onChange={(event) => set({ account: event.currentTarget.value })}
      />
      {typed.account.trim() === '' ? null : <PasswordFields typed={typed} set={set} />}
      <NumberInput
        label={WORDS.connections}
        min={1}
        max={100}
        hideControls
        value={typed.connections}
        onChange={(connections) => set({ connections: Number(connections) })}
      />
      <NumberInput
        label={WORDS.perHour}
        description="Of all campaigns; left empty, as fast as it takes them."
        min={1}
        hideControls
        value={typed.perHour}
        onChange={(perHour) => set({ perHour: perHour === '' ? '' : Number(perHour) })}
      />
      <TextInput
        label={WORDS.returnsTo}
        description="A domain whose mail reaches the intake, or the address of a mailbox that is fetched from; left empty, the return domain of the brand."
        value={typed.returnsTo}
        onChange={(event) => set({ returnsTo: event.currentTarget.value })}
      />
      <Textarea
        label={WORDS.certificate}
        description="In PEM, beside those of the system: for a relay with an authority of its own."
        value={typed.certificate}
        onChange={(event) => set({ certificate: event.currentTarget.value })}
      />
      <ProblemNote error={keep.error} />
      <FormEnd
        keep={relay ? 'Keep' : 'Add the relay'}
        saving={keep.isPending}
        leave={() => (form.leaveMine(), done())}
      />
    </SheetForm>
  );
}

type Fields = ReturnType<typeof fieldsOf>;

/** What it is called, where it is, and how the line to it is encrypted. */
function ServerFields({ typed, set }: { typed: Fields; set: (change: Partial<Fields>) => void }) {
  return (
    <>
      <TextInput
        required
        label={WORDS.name}
        value={typed.name}
        onChange={(event) => set({ name: event.currentTarget.value })}
      />
      <span className="row">
        <TextInput
          required
          label={WORDS.host}
          placeholder="relay.larkfield.example"
          value={typed.host}
          onChange={(event) => set({ host: event.currentTarget.value })}
        />
        <NumberInput
          required
          label={WORDS.port}
          min={1}
          max={65535}
          thousandSeparator=""
          hideControls
          value={typed.port}
          onChange={(port) => set({ port: Number(port) })}
        />
      </span>
      <Select
        label={WORDS.security}
        allowDeselect={false}
        data={SECURITIES}
        value={typed.security}
        onChange={(security) => security && set({ security: security })}
      />
    </>
  );
}

/** Where the service finds the password: it is never typed here, and never kept with the settings. */
function PasswordFields({ typed, set }: { typed: Fields; set: (change: Partial<Fields>) => void }) {
  const isFile = typed.passwordIn === 'file';
  return (
    <>
      <div>
        <div className="second" id="password-in">
          {WORDS.passwordIn}
        </div>
        <SegmentedControl
          size="xs"
          color="var(--av-ink)"
          aria-labelledby="password-in"
          data={[
            { value: 'variable', label: 'an environment variable' },
            { value: 'file', label: 'a file' },
          ]}
          value={typed.passwordIn}
          onChange={(passwordIn) => set({ passwordIn: passwordIn })}
        />
      </div>
      <TextInput
        required
        label={isFile ? 'Name of the file' : 'Name of the variable'}
        description={
          isFile
            ? 'In the folder that AVENDEL_SECRETS_DIR of the service names.'
            : 'Of the service; it begins with AVENDEL_RELAY_PASSWORD.'
        }
        value={typed.passwordName}
        onChange={(event) => set({ passwordName: event.currentTarget.value })}
      />
    </>
  );
}

function settingsOf({ passwordIn, passwordName, perHour, returnsTo, account, ...typed }: Fields): NewRelay {
  const name = account.trim() === '' ? null : passwordName.trim() || null;
  return {
    ...typed,
    account,
    passwordVariable: passwordIn === 'variable' ? name : null,
    passwordFile: passwordIn === 'file' ? name : null,
    perHour: perHour === '' ? null : perHour,
    returnsTo: returnsTo.trim() === '' ? null : returnsTo,
  };
}
