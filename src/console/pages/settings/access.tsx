import { Button, PasswordInput, TextInput } from '@mantine/core';
import { useState } from 'react';
import { useTokens } from '../../api/queries.ts';
import { useSession, useSignOut } from '../../api/session.ts';
import { useAct } from '../../api/use-act.ts';
import { useBrand } from '../../brand.tsx';
import { Await, Door, ProblemNote, Section } from '../../components/page.tsx';
import { day } from '../../components/words.ts';

/** Who is signed in, their password, and the programs that speak to the service as them. */
export function Access() {
  const session = useSession().data;
  const signOut = useSignOut();
  const [open, setOpen] = useState<'password' | 'token' | null>(null);
  return (
    <>
      <Section head={session?.name ?? 'You'} beside={<button type="button" className="act" onClick={() => setOpen(open === 'password' ? null : 'password')}>Change the password</button>}>
        <p className="second">{session?.email} · <Door onClick={() => signOut.mutate(undefined, { onSuccess: () => location.assign('/') })}>Sign out</Door></p>
        {open === 'password' ? <PasswordForm /> : null}
      </Section>
      <Section head="Programs" beside={<button type="button" className="act" onClick={() => setOpen(open === 'token' ? null : 'token')}>New token</button>}>
        {open === 'token' ? <TokenForm email={session?.email ?? ''} /> : null}
        <Tokens />
      </Section>
    </>
  ); // prettier-ignore
}

function PasswordForm() {
  const [password, setPassword] = useState('');
  const [newPassword, setNewPassword] = useState('');
  const change = useAct((client, _: void) => client.changePassword(password, newPassword));
  return (
    <form className="stack" onSubmit={(event) => { event.preventDefault(); change.mutate(undefined); }}>
      <PasswordInput required label="Present password" autoComplete="current-password" value={password} onChange={(event) => setPassword(event.currentTarget.value)} />
      <PasswordInput required minLength={10} label="New password" description="Ten characters at least." autoComplete="new-password" value={newPassword} onChange={(event) => setNewPassword(event.currentTarget.value)} />
      <ProblemNote error={change.error} />
      {change.isSuccess ? <p role="status">It is changed. Other browsers have to sign in again; tokens go on.</p> : null}
      <Button type="submit" loading={change.isPending}>Change it</Button>
    </form>
  ); // prettier-ignore
}

function TokenForm({ email }: { email: string }) {
  const [name, setName] = useState('');
  const [password, setPassword] = useState('');
  const make = useAct((client, _: void) => client.createToken(email, password, name));
  return (
    <form className="stack" style={{ marginBottom: 16 }} onSubmit={(event) => { event.preventDefault(); make.mutate(undefined); }}>
      <TextInput required label="What it is for" placeholder="ticket desk" value={name} onChange={(event) => setName(event.currentTarget.value)} />
      <PasswordInput required label="Your password" autoComplete="current-password" value={password} onChange={(event) => setPassword(event.currentTarget.value)} />
      <ProblemNote error={make.error} />
      {make.data ? <p role="status">Shown this once: <code className="said" style={{ overflowWrap: 'anywhere' }}>{make.data.token}</code></p> : null}
      <Button type="submit" loading={make.isPending}>Make a token</Button>
    </form>
  ); // prettier-ignore
}

function Tokens() {
  const { zone } = useBrand();
  const revoke = useAct((client, id: number) => client.revokeToken(id));
  return (
    <Await of={useTokens()} rows={2}>
      {({ items, next }) => {
        const living = items.filter(({ revokedAt }) => revokedAt === null);
        return (
          <>
            {living.length === 0 ? <p className="second">No program has a token.</p> : null}
            {living.map((token) => (
              <p key={token.id}>
                {token.name} <button type="button" className="act" aria-label={`Revoke token ${token.id}, ${token.name}`} onClick={() => revoke.mutate(token.id)}>Revoke</button>
                <br />
                <span className="second">since {day(token.createdAt, zone)}, {token.lastUsedAt ? `last used ${day(token.lastUsedAt, zone)}` : 'never used'}</span>
              </p>
            ))}
            {next ? <p className="second">These are the latest; all of them: avendel access tokens.</p> : null}
            <ProblemNote error={revoke.error} />
          </>
        );
      }}
    </Await>
  ); // prettier-ignore
}
