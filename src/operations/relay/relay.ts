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
  /**
   * The line broke after the message's text had begun to go: the relay may have it. `trouble`: that happened too often
   * to go on with it.
   */
  | { outcome: 'uncertain'; reply: string; trouble?: boolean };

/** An SMTP server that messages are handed to, with its pool of connections. */
export interface Relay {
  /** One of the relays that are kept; absent for the one of the settings. */
  id?: number;
  /** How many messages can be on their way at once. */
  connections: number;
  /** `signWith`: the keys with which it is signed, if any. */
  handOver(message: WrittenMessage, signWith?: readonly DkimSigner[]): Promise<Handover>;
}

/** A relay, and whether it rests after trouble. */
export interface RelayOfBrand extends Relay {
  rests: boolean;
}

/** The relays of the organisation. */
export interface Relays {
  /** Those through which a brand sends, in its order; the one of the settings where it has none. */
  ofBrand(brandId: number): Promise<RelayOfBrand[]>;
  /**
   * All of a brand as one, for a single message: what one is too much in trouble for is handed to the next, and those
   * that rest are asked last.
   */
  asOne(brandId: number): Relay;
  /** Speaks to one without sending; null for the one of the settings. @throws Problem not-found */
  check(id: number | null): Promise<RelayAnswer>;
}
