import Joi from 'joi';
import { anyText, id, oneOf, text } from './parts.ts';
import { contract } from './contract.ts';

/** What the relay, to which messages are handed over, said when it was only spoken to. */
export interface RelayAnswer {
  /** Where it is, as smtp://host:port. */
  relay: string;
  /** Whether it would take messages from us: it greeted, and let us sign in where that is set. */
  answers: boolean;
  encrypted: boolean;
  signedIn: boolean;
  /** The first line of what it said last, or what went wrong. */
  said: string;
}
const relayAnswerSchema = Joi.object<RelayAnswer, true>({
  relay: anyText.required(),
  answers: Joi.boolean().required(),
  encrypted: Joi.boolean().required(),
  signedIn: Joi.boolean().required(),
  said: anyText.allow('').required(),
});

/** A record that a domain of a brand should have in the DNS, and what stands there. */
export interface DnsRecord {
  name: string;
  type: 'TXT' | 'MX';
  what: 'DKIM' | 'SPF' | 'MX' | 'DMARC';
  /** Of a key: whether messages are signed with it. */
  signs: boolean | null;
  /** What should stand there, or a model of it. */
  wanted: string;
  /** What it is for. */
  purpose: string;
  /** Null where nobody could be asked. */
  found: string[] | null;
  agrees: boolean | null;
}

/** Body of `POST /relay/test`. */
export interface TestMessage {
  brandId: number;
  to: string;
}

const HANDOVERS = ['accepted', 'refused', 'again', 'uncertain'] as const;

/** What became of a test message: `again` is not now, `uncertain` that the line broke. `reply` is the relay's. */
export interface TestOutcome {
  outcome: (typeof HANDOVERS)[number];
  reply: string;
}

export const handoverSchema = Joi.object<TestOutcome, true>({
  outcome: oneOf(HANDOVERS).required(),
  reply: anyText.required(),
});

/** The relay that messages are handed to. */
export const relay = {
  checkRelay: contract({
    method: 'post',
    path: '/relay/check',
    summary: 'Speak to the relay without sending anything: whether it answers, encrypted, and lets us sign in',
    needs: 'read',
    answer: relayAnswerSchema,
    example: {},
  }),
  sendTest: contract({
    method: 'post',
    path: '/relay/test',
    summary: 'Send a test message from a brand to one address; it belongs to no campaign and counts nowhere',
    needs: 'send',
    body: Joi.object<TestMessage, true>({
      brandId: id.required(),
      to: text(320).email({ tlds: false }).required(),
    }),
    answer: handoverSchema,
    problems: ['held-back', 'not-found', 'too-many-tries', 'wrong-state'],
    example: { brandId: 1, to: 'rosa.lindgard@larkfield.example' },
  }),
};
