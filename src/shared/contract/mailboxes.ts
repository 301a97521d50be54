import Joi from 'joi';
import { id, anyText, instant, name, text, arrayOf, idParams } from './parts.ts';
import { contract } from './contract.ts';

/** What is done with a message in the mailbox, by what became of it; `move:` is followed by a folder. */
export type Afterwards = Record<'counted' | 'noted' | 'unmatched', 'leave' | 'flag' | 'delete' | `move:${string}`>;

/** What is done where nothing else is said. */
export const LEAVE_ALL: Afterwards = { counted: 'leave', noted: 'leave', unmatched: 'leave' };

/** An IMAP mailbox that returns are fetched from. */
export interface Mailbox {
  id: number;
  name: string;
  host: string;
  port: number;
  security: 'tls' | 'starttls' | 'none';
  account: string;
  hasPassword: boolean;
  folder: string;
  brandId: number | null;
  idles: boolean;
  pollSeconds: number;
  afterwards: Afterwards;
  paused: boolean;
  waiting: number | null;
  lastPollAt: string | null;
  trouble: string | null;
  troubleSince: string | null;
  processed: number;
}

const mailboxSchema = Joi.object<Mailbox, true>({
  id: Joi.number().required(),
  name: anyText.required(),
  host: anyText.required(),
  port: Joi.number().required(),
  security: Joi.string().valid('tls', 'starttls', 'none').required(),
  account: anyText.required(),
  hasPassword: Joi.boolean().required(),
  folder: anyText.required(),
  brandId: Joi.number().allow(null).required(),
  idles: Joi.boolean().required(),
  pollSeconds: Joi.number().required(),
  afterwards: Joi.object().pattern(Joi.string(), anyText).required(),
  paused: Joi.boolean().required(),
  waiting: Joi.number().allow(null).required(),
  lastPollAt: instant.allow(null).required(),
  trouble: anyText.allow(null).required(),
  troubleSince: instant.allow(null).required(),
  processed: Joi.number().required(),
});

export const afterwards = Joi.string()
  .pattern(/^(leave|flag|delete|move:.{1,200})$/, 'leave, flag, delete, or move: and a folder')
  .default('leave');

/** Body of `POST /mailboxes`. */
export interface NewMailbox {
  name: string;
  host: string;
  port?: number;
  security?: 'tls' | 'starttls' | 'none';
  account: string;
  password?: string;
  folder?: string;
  brandId?: number | null;
  idles?: boolean;
  pollSeconds?: number;
  afterwards?: Partial<Afterwards>;
}

export const mailbox = Joi.object<NewMailbox, true>({
  name: name(100).required(),
  host: Joi.string().hostname().required(),
  port: Joi.number().port().default(993),
  security: Joi.string()
    .valid('tls', 'starttls', 'none')
    .default('tls')
    .description('`none` is for a server on this machine'),
  account: text(320).required(),
  password: Joi.string()
    .max(1000)
    .description(
      'Kept encrypted, for this host, port and account alone; without it, the one that is kept for them goes on',
    ),
  folder: text(500).default('INBOX'),
  brandId: id.allow(null).default(null),
  idles: Joi.boolean().default(true).description('The server tells when something comes (RFC 2177); else it is polled'),
  pollSeconds: Joi.number().integer().min(1).max(86_400).default(60),
  afterwards: Joi.object({ counted: afterwards, noted: afterwards, unmatched: afterwards })
    .default(LEAVE_ALL)
    .description('What is done with a message in the mailbox, by what became of it'),
});

/** Body of `POST /mailboxes/:id/pause`. */
export interface MailboxPause {
  paused: boolean;
}

const mailboxPause = Joi.object<MailboxPause, true>({ paused: Joi.boolean().required() });

/** Mailboxes that returns are fetched from. */
export const mailboxes = {
  mailboxes: contract({
    method: 'get',
    path: '/mailboxes',
    summary: 'IMAP mailboxes that returns are fetched from, and how they are',
    answer: arrayOf(mailboxSchema),
    example: {},
  }),
  keepMailbox: contract({
    method: 'post',
    path: '/mailboxes',
    summary: 'Add an IMAP mailbox, or change the one of this name',
    needs: 'administer',
    body: mailbox,
    filled: ['port', 'security', 'folder', 'brandId', 'idles', 'pollSeconds', 'afterwards'],
    status: 201,
    answer: mailboxSchema,
    problems: ['not-found', 'wrong-state'],
    example: {
      name: 'returns',
      host: 'mail.larkfield.example',
      account: 'returns',
      password: 'a sextant of brass',
      afterwards: { counted: 'delete', unmatched: 'move:Stray' },
    },
  }),
  pauseMailbox: contract({
    method: 'post',
    path: '/mailboxes/:id/pause',
    summary: 'Stop fetching from a mailbox, or go on',
    needs: 'administer',
    params: idParams,
    body: mailboxPause,
    answer: mailboxSchema,
    problems: ['not-found'],
    example: { id: 1, paused: true },
  }),
  lookIntoMailbox: contract({
    method: 'post',
    path: '/mailboxes/:id/look',
    summary: 'Look into a mailbox now, also where it waits after trouble',
    params: idParams,
    status: 202,
    answer: mailboxSchema,
    problems: ['not-found', 'wrong-state'],
    example: { id: 1 },
  }),
  removeMailbox: contract({
    method: 'delete',
    path: '/mailboxes/:id',
    summary: 'Forget a mailbox; what was fetched from it stays',
    needs: 'administer',
    params: idParams,
    status: 204,
    problems: ['not-found'],
    example: { id: 1 },
  }),
};
