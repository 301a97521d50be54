import {
  Button,
  CopyButton,
  PasswordInput,
  SegmentedControl,
  Select,
  TextInput,
  useMantineColorScheme,
} from '@mantine/core';
import { useState } from 'react';
import { TOKEN_SCOPE_WORDS, TOKEN_SCOPES, type TokenScope } from '../../../shared/access.ts';
import { useSessions, useTokens } from '../../api/queries/accounts.ts';
import { useSession, useSignOut } from '../../api/session.ts';
import { useAct } from '../../api/use-act.ts';
import { useBrand } from '../../brand.tsx';
import { Await, Door, ProblemNote, Section } from '../../components/page.tsx';
import { SureButton } from '../../components/sure-button.tsx';
import { day, moment } from '../../components/words.ts';

/** Who is signed in, their password, and the programs that speak to the service as them. */
export function Access() {
  const session = useSession().data;
  const signOut = useSignOut();
  const [open, setOpen] = useState<'password' | 'token' | null>(null);
  return (
    <>
      <Section
        head={session?.name ?? 'You'}
        beside={
          <button type="button" className="act" onClick={() => setOpen(open === 'password' ? null : 'password')}>
            Change the password
          </button>
        }
      >
        <p className="second">
          {session?.email} ·{' '}
          <Door onClick={() => signOut.mutate(undefined, { onSuccess: () => location.assign('/') })}>Sign out</Door>
        </p>
        {open === 'password' ? <PasswordForm /> : null}
        <Theme />
      </Section>
      <Section head="Browsers">
        <Sessions />
      </Section>
      <Section
        head="Programs"
        beside={
          <button type="button" className="act" onClick={() => setOpen(open === 'token' ? null : 'token')}>
            New token
          </button>
        }
      >
        {open === 'token' ? <TokenForm email={session?.email ?? ''} /> : null}
        <Tokens />
      </Section>
    </>
  );
}

/** Light or dark, in this browser. */
function Theme() {
  const { colorScheme, setColorScheme } = useMantineColorScheme();
  return (
    <SegmentedControl
      size="xs"
      fullWidth
      color="var(--av-ink)"
      aria-label="Light or dark"
      data={[
        { value: 'auto', label: 'As the system' },
        { value: 'light', label: 'Light' },
        { value: 'dark', label: 'Dark' },
      ]}
      value={colorScheme}
      onChange={(value) => setColorScheme(value)}
    />
  );
}

function PasswordForm() {
  const [password, setPassword] = useState('');
  const [newPassword, setNewPassword] = useState('');
  const change = useAct(async (client, _: void) => {
    await client.changePassword({ password, newPassword });
    setPassword('');
    setNewPassword('');
  });
  return (
    <form
      className="stack"
      onSubmit={(event) => {
        event.preventDefault();
        change.mutate(undefined);
      }}
    >
      <PasswordInput
        required
        label="Present password"
        autoComplete="current-password"
        value={password}
        onChange={(event) => setPassword(event.currentTarget.value)}
      />
      <PasswordInput
        required
        minLength={12}
        label="New password"
        description="Twelve characters at least, of any kind."
        autoComplete="new-password"
        value={newPassword}
        onChange={(event) => setNewPassword(event.currentTarget.value)}
      />
      <ProblemNote error={change.error} />
      {change.isSuccess ? (
        <p role="status">It is changed. Other browsers have to sign in again; tokens go on.</p>
      ) : null}
      <Button type="submit" loading={change.isPending}>
        Change it
      </Button>
    </form>
  );
}

function TokenForm({ email }: { email: string }) {
  const [name, setName] = useState('');
  const [scope, setScope] = useState<TokenScope>('read');
  const [until, setUntil] = useState('');
  const [password, setPassword] = useState('');
  const make = useAct(async (client, _: void) => {
    const made = await client.createToken({ email, password, name, scope, expiresAt: until === '' ? null : until });
    setPassword('');
    return made;
  });
  return (
    <form
      className="stack"
      style={{ marginBottom: 16 }}
      onSubmit={(event) => {
        event.preventDefault();
        make.mutate(undefined);
      }}
    >
      <TextInput
        required
        label="What it is for"
        placeholder="ticket desk"
        value={name}
        onChange={(event) => setName(event.currentTarget.value)}
      />
      <Select
        label="It may"
        allowDeselect={false}
        data={TOKEN_SCOPES.map((value) => ({ value, label: TOKEN_SCOPE_WORDS[value] }))}
        value={scope}
        onChange={(value) => setScope(value as TokenScope)}
      />
      <TextInput
        type="date"
        label="Until"
        description="From that day on it opens nothing; empty for no end."
        value={until}
        onChange={(event) => setUntil(event.currentTarget.value)}
      />
      <PasswordInput
        required
        label="Your password"
        autoComplete="current-password"
        value={password}
        onChange={(event) => setPassword(event.currentTarget.value)}
      />
      <ProblemNote error={make.error} />
      {make.data ? <NewToken token={make.data.token} /> : null}
      <Button type="submit" loading={make.isPending}>
        Make a token
      </Button>
    </form>
  );
}

function NewToken({ token }: { token: string }) {
  return (
    <div role="status">
      <p>
        Shown this once: <code className="said">{token}</code>
      </p>
      <CopyButton value={token}>
        {({ copied, copy }) => <Button onClick={copy}>{copied ? 'Copied' : 'Copy the token'}</Button>}
      </CopyButton>
    </div>
  );
}

/** Where they are signed in; each can be ended by itself. */
function Sessions() {
  const { zone } = useBrand();
  const end = useAct((client, id: number) => client.endSession({ id }));
  return (
    <Await of={useSessions()} rows={1}>
      {(sessions) => (
        <>
          {sessions.map((session) => (
            <p key={session.id} className="breaks">
              {session.isThis ? 'This one' : session.userAgent || 'A browser'}{' '}
              {session.isThis ? null : (
                <button
                  type="button"
                  className="act"
                  aria-label={`Sign it out: session ${session.id}`}
                  onClick={() => end.mutate(session.id)}
                >
                  Sign it out
                </button>
              )}
              <br />
              <span className="second">
                since {moment(session.createdAt, zone)}, last used {moment(session.lastSeenAt, zone)}
                {session.network === null ? '' : `, from ${session.network}`}
              </span>
            </p>
          ))}
          <ProblemNote error={end.error} />
        </>
      )}
    </Await>
  );
}

function Tokens() {
  const { zone } = useBrand();
  const revoke = useAct((client, id: number) => client.revokeToken({ id }));
  return (
    <Await of={useTokens()} rows={2}>
      {({ items, next }) => {
        const living = items.filter(
          ({ revokedAt, expiresAt }) => revokedAt === null && (expiresAt === null || new Date(expiresAt) > new Date()),
        );
        return (
          <>
            {living.length === 0 ? <p className="second">No program has a token.</p> : null}
            {living.map((token) => (
              <p key={token.id}>
                {token.name}{' '}
                <SureButton
                  ask={`Revoke token ${token.id}, ${token.name}`}
                  sure={`Yes, ${token.name} stops working at once`}
                  act={() => revoke.mutate(token.id)}
                >
                  Revoke
                </SureButton>
                <br />
                <span className="second">
                  may {TOKEN_SCOPE_WORDS[token.scope]}; since {day(token.createdAt, zone)}
                  {token.expiresAt === null ? '' : ` until ${day(token.expiresAt, zone)}`},{' '}
                  {token.lastUsedAt ? `last used ${day(token.lastUsedAt, zone)}` : 'never used'}
                </span>
              </p>
            ))}
            {next ? <p className="second">These are the latest; all of them: avendel access tokens.</p> : null}
            <ProblemNote error={revoke.error} />
          </>
        );
      }}
    </Await>
  );
}
