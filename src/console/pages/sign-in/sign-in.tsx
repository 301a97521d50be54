import { PasswordInput, TextInput } from '@mantine/core';
import { useState } from 'react';
import { useSignIn } from '../../api/session.ts';
import { ProblemNote } from '../../components/page.tsx';

/** Asks who it is; `ended` when somebody was signed in until now. */
export function SignIn({ ended }: { ended: boolean }) {
  const signIn = useSignIn();
  const [email, setEmail] = useState('');
  const [password, setPassword] = useState('');
  return (
    <main style={{ maxWidth: 360, margin: '14vh auto', padding: '0 16px' }}>
      <h1>Avendel</h1>
      <p className="second" style={{ margin: '4px 0 20px' }}>
        {ended
          ? 'Your session has ended. Sign in again, and go on where you were.'
          : 'Who may be written to, and why. Sign in to look.'}
      </p>
      <form
        className="stack"
        onSubmit={(event) => {
          event.preventDefault();
          signIn.mutate({ email, password });
        }}
      >
        <TextInput
          label="Address"
          type="email"
          autoComplete="username"
          required
          value={email}
          onChange={(event) => setEmail(event.currentTarget.value)}
        />
        <PasswordInput
          label="Password"
          autoComplete="current-password"
          required
          value={password}
          onChange={(event) => setPassword(event.currentTarget.value)}
        />
        <ProblemNote error={signIn.error} />
        <button type="submit" className="main-button" disabled={signIn.isPending}>
          Sign in
        </button>
      </form>
    </main>
  );
}
