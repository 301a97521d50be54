import Joi from 'joi';
import { anyText, arrayOf, id, idParams, instant, name, oneOf, text, version } from './parts.ts';
import { contract } from './contract.ts';

/** What the relay, to which messages are handed over, said when it was only spoken to. */
export interface RelayAnswer {
  /** Its name, or where it is, as smtp://host:port. */
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

/** How a connection to a relay is encrypted: from its beginning, once greeted (RFC 3207), or not, on this machine. */
export const RELAY_SECURITIES = ['tls', 'starttls', 'none'] as const;
export type RelaySecurity = (typeof RELAY_SECURITIES)[number];

/** A relay as it is set; its password is kept elsewhere, and never shown. */
export interface RelaySettings {
  name: string;
  host: string;
  port: number;
  security: RelaySecurity;
  /** Authorities, in PEM, that are trusted beside those of the system; empty for none. */
  certificate: string;
  /** Empty where nobody has to sign in. */
  account: string;
  passwordVariable: string | null;
  passwordFile: string | null;
  connections: number;
  perHour: number | null;
  /** A domain, or the address of a mailbox; null for the return domain of the brand. */
  returnsTo: string | null;
}

/** A relay, who sends through it, and how it is. */
export interface KeptRelay extends RelaySettings {
  id: number;
  brandIds: number[];
  trouble: string | null;
  troubleSince: string | null;
  version: number;
  createdAt: string;
  createdBy: string;
  changedBy: string | null;
}

const keptRelaySchema = Joi.object<KeptRelay, true>({
  id: Joi.number().required(),
  name: anyText.required(),
  host: anyText.required(),
  port: Joi.number().required(),
  security: oneOf(RELAY_SECURITIES).required(),
  certificate: anyText.allow('').required(),
  account: anyText.allow('').required(),
  passwordVariable: anyText.allow(null).required(),
  passwordFile: anyText.allow(null).required(),
  connections: Joi.number().required(),
  perHour: Joi.number().allow(null).required(),
  returnsTo: anyText.allow(null).required(),
  brandIds: Joi.array().items(Joi.number()).required(),
  trouble: anyText.allow(null).required(),
  troubleSince: instant.allow(null).required(),
  version: Joi.number().required(),
  createdAt: instant.required(),
  createdBy: anyText.required(),
  changedBy: anyText.allow(null).required(),
});

/** What `POST /relays` takes; what is left out is as in `RELAY_FILLED`. */
export type NewRelay = Pick<RelaySettings, 'name' | 'host'> & Partial<RelaySettings>;

/** What a relay is where nothing else is said. */
export const RELAY_FILLED = {
  port: 587,
  security: 'starttls',
  certificate: '',
  account: '',
  passwordVariable: null,
  passwordFile: null,
  connections: 8,
  perHour: null,
  returnsTo: null,
} as const satisfies Partial<RelaySettings>;

const ofRelay = {
  name: name(100),
  host: Joi.string().hostname(),
  port: Joi.number().port().min(1),
  security: oneOf(RELAY_SECURITIES).description(
    'tls from the first byte, starttls (RFC 3207), or none, on this machine alone; certificates are always verified',
  ),
  certificate: text(100_000)
    .allow('')
    .description('Authorities in PEM that are trusted beside those of the system, for a relay with one of its own'),
  account: text(320).allow('').description('With which to sign in; empty where nobody has to'),
  passwordVariable: Joi.string()
    .pattern(/^AVENDEL_RELAY_PASSWORD\w{0,80}$/, 'a name that begins with AVENDEL_RELAY_PASSWORD')
    .allow(null)
    .description('Environment variable of the service that holds the password'),
  passwordFile: Joi.string()
    .pattern(/^\w[\w.-]{0,100}$/, 'the name of a file, without a folder')
    .allow(null)
    .description('File in AVENDEL_SECRETS_DIR that holds the password; read anew for each connection'),
  connections: Joi.number().integer().min(1).max(100).description('Messages on their way at once, for each process'),
  perHour: Joi.number().integer().min(1).max(100_000_000).allow(null).description('Messages an hour, of all campaigns'),
  returnsTo: text(320)
    .allow(null)
    .description(
      'Where its returns come to: a domain, or the address of a mailbox; else the return domain of the brand',
    ),
};

const newRelay = Joi.object<NewRelay, true>({
  name: ofRelay.name.required(),
  host: ofRelay.host.required(),
  port: ofRelay.port.default(RELAY_FILLED.port),
  security: ofRelay.security.default(RELAY_FILLED.security),
  certificate: ofRelay.certificate.default(RELAY_FILLED.certificate),
  account: ofRelay.account.default(RELAY_FILLED.account),
  passwordVariable: ofRelay.passwordVariable.default(RELAY_FILLED.passwordVariable),
  passwordFile: ofRelay.passwordFile.default(RELAY_FILLED.passwordFile),
  connections: ofRelay.connections.default(RELAY_FILLED.connections),
  perHour: ofRelay.perHour.default(RELAY_FILLED.perHour),
  returnsTo: ofRelay.returnsTo.default(RELAY_FILLED.returnsTo),
});

/** Body of `PATCH /relays/:id`. */
export interface RelayChange extends Partial<RelaySettings> {
  version?: number;
}

/** Body of `PATCH /brands/:id/relays`. */
export interface RelayOrder {
  relayIds: number[];
}

/** Body of `POST /relay/check`. */
export interface RelayToCheck {
  relayId?: number | null;
}

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

/** The relays that messages are handed to. */
export const relay = {
  relays: contract({
    method: 'get',
    path: '/relays',
    summary: 'The relays beside the one of AVENDEL_RELAY_URL, which brands send through them, and how they are',
    answer: arrayOf(keptRelaySchema),
    example: {},
  }),
  addRelay: contract({
    method: 'post',
    path: '/relays',
    summary: 'Add a relay; no brand sends through it yet',
    needs: 'administer',
    body: newRelay,
    filled: [
      'port',
      'security',
      'certificate',
      'account',
      'passwordVariable',
      'passwordFile',
      'connections',
      'perHour',
      'returnsTo',
    ],
    status: 201,
    answer: keptRelaySchema,
    problems: ['name-taken'],
    example: { name: 'Second', host: '127.0.0.1', port: 7426, security: 'none' },
  }),
  changeRelay: contract({
    method: 'patch',
    path: '/relays/:id',
    summary: 'Change a relay; messages on their way go by it as it was',
    needs: 'administer',
    params: idParams,
    body: Joi.object<RelayChange, true>({ ...ofRelay, version }).min(1),
    answer: keptRelaySchema,
    problems: ['changed-meanwhile', 'name-taken', 'not-found'],
    example: { id: 1, connections: 4 },
  }),
  removeRelay: contract({
    method: 'delete',
    path: '/relays/:id',
    summary: 'Remove a relay that no brand sends through',
    needs: 'administer',
    params: idParams,
    status: 204,
    problems: ['not-found', 'wrong-state'],
    example: { id: 1 },
  }),
  sendThrough: contract({
    method: 'patch',
    path: '/brands/:id/relays',
    summary: 'Say through which relays a brand sends, in this order; none is the one of AVENDEL_RELAY_URL',
    needs: 'administer',
    params: idParams,
    body: Joi.object<RelayOrder, true>({
      relayIds: Joi.array().items(id).unique().max(10).required().description('The next takes over when one fails'),
    }),
    answer: arrayOf(keptRelaySchema),
    problems: ['not-found'],
    example: { id: 1, relayIds: [1] },
  }),
  relaysOfBrand: contract({
    method: 'get',
    path: '/brands/:id/relays',
    summary: 'The relays through which a brand sends, in their order; none is the one of AVENDEL_RELAY_URL',
    params: idParams,
    answer: arrayOf(keptRelaySchema),
    problems: ['not-found'],
    example: { id: 1 },
  }),
  checkRelay: contract({
    method: 'post',
    path: '/relay/check',
    summary: 'Speak to a relay without sending anything: whether it answers, encrypted, and lets us sign in',
    needs: 'read',
    body: Joi.object<RelayToCheck, true>({
      relayId: id.allow(null).description('One of the relays; without it the one of AVENDEL_RELAY_URL'),
    }),
    answer: relayAnswerSchema,
    problems: ['not-found'],
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
