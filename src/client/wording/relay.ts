import type { KeptRelay, RelayAnswer, RelaySettings, TestOutcome } from '../../shared/contract/relay.ts';
import { speedWords } from './sending-pace.ts';

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

/** How a relay is spoken to: `starttls, signs in as larkfield, 8 at once`. */
export function relaySettingWords(relay: RelaySettings): string {
  return [
    relay.security === 'none' ? 'not encrypted' : relay.security,
    relay.account === '' ? 'nobody signs in' : `signs in as ${relay.account}`,
    speedWords(relay),
  ].join(', ');
}

/** Where the password of a relay is looked for, if it has one. */
export function passwordPlace({ passwordVariable, passwordFile }: RelaySettings): string {
  if (passwordVariable !== null) return `the environment variable ${passwordVariable}`;
  return passwordFile === null ? 'nowhere' : `the file ${passwordFile} in AVENDEL_SECRETS_DIR`;
}

/** Through what a brand sends, in one sentence. */
export function orderWords(brand: string, relays: Pick<KeptRelay, 'name'>[]): string {
  if (relays.length === 0) return `${brand} sends through the relay of AVENDEL_RELAY_URL.`;
  const [first, ...others] = relays.map(({ name }) => name);
  return `${brand} sends through ${[first, ...others].join(', and if it fails through ')}.`;
}
