import type { RelayAnswer, TestOutcome } from '../../shared/contract/relay.ts';

/** Whether the relay answers, in one sentence. */
export function relayWords({ relay, answers, encrypted, signedIn }: RelayAnswer): string {
  if (!answers) return `The relay ${relay} takes no messages from us.`;
  const how = [encrypted ? 'encrypted' : 'not encrypted', signedIn ? 'we are signed in' : 'nobody has to sign in'];
  return `The relay ${relay} answers: ${how.join(', ')}.`;
}

/** What became of a test message, in one sentence. */
export function testWords({ outcome }: Pick<TestOutcome, 'outcome'>, to: string): string {
  return {
    accepted: `The relay took the test message to ${to}. Look whether it comes.`,
    refused: `The relay refused the test message to ${to}.`,
    again: `The relay did not take the test message to ${to} now.`,
    uncertain: `The line broke while the test message to ${to} was going out. Look whether it comes.`,
  }[outcome];
}
