import type { RelayAnswer } from '../../shared/contract/relay.ts';
import type { WrittenMessage } from '../../core/message/compile-message.ts';
import type { DkimSigner } from '../../core/message/dkim.ts';

/** What the relay made of one message. `reply` is what it said, verbatim. */
export type Handover =
  | { outcome: 'accepted'; reply: string }
  /** Refused for good. */
  | { outcome: 'refused'; reply: string }
  /** Not now. `trouble`: the relay itself is the reason, not this recipient. */
  | { outcome: 'again'; reply: string; trouble: boolean }
  /** The line broke after the message's text had begun to go: the relay may have it. */
  | { outcome: 'uncertain'; reply: string };

/** The SMTP server that messages are handed to, with its pool of connections. */
export interface Relay {
  /** How many messages can be on their way at once. */
  connections: number;
  /** `signWith`: the keys with which it is signed, if any. */
  handOver(message: WrittenMessage, signWith?: readonly DkimSigner[]): Promise<Handover>;
}

/** A relay that can be spoken to without sending. */
export interface CheckableRelay extends Relay {
  check(): Promise<RelayAnswer>;
}
