import { setTimeout as delay } from 'node:timers/promises';
import { simpleParser, type ParsedMail } from 'mailparser';
import nodemailer, { type Transporter } from 'nodemailer';
import { SMTPServer } from 'smtp-server';
import { PUBLIC_PATHS } from '../../core/message/public-paths.ts';
import type { Person } from '../world/people.ts';
import {
  atTheDoor,
  atTheDoorOnBadDay,
  confirmationReactionsOf,
  interestToday,
  onBadDay,
  reactionsOf,
  type BadDay,
  type Reaction,
} from './mailbox.ts';
import { complaintReport, deliveryReport, letter, unsubscribeLetter, type Original } from '../reports.ts';

export interface OutsideOptions {
  host: string;
  port: number;
  /** Where returns go: Avendel's SMTP intake. */
  intakeHost: string;
  intakePort: number;
  /** Stretches or shortens every wait; 1 is some seconds to a minute. */
  pace: number;
  people: Person[];
  /** Domains whose provider has a bad day, and which. */
  badDays?: () => ReadonlyMap<string, BadDay>;
  say: (text: string) => void;
}

export interface OutsideWorld {
  /** Reactions that have not happened yet. */
  pending(): number;
  received(): number;
  stop(): Promise<void>;
}

/**
 * The stand-in for the outside world: receives by SMTP as a relay, and its people and machines react by SMTP and HTTP.
 */
export async function startOutsideWorld(options: OutsideOptions): Promise<OutsideWorld> {
  const people = new Map(options.people.map((person) => [person.address, interestToday(person)]));
  const intake = nodemailer.createTransport({
    host: options.intakeHost,
    port: options.intakePort,
    pool: true,
    maxConnections: 3,
    ignoreTLS: true,
  });
  const timers = new Set<NodeJS.Timeout>();
  let received = 0;
  const badDayOf = (address: string): BadDay | undefined => options.badDays?.().get(address.split('@')[1] ?? '');
  const react = (mail: ReceivedMail): void => {
    const { to } = mail.original;
    const id = mail.parsed.messageId ?? '';
    const reactions =
      badDayOf(to) === 'unknown'
        ? onBadDay(options.pace)
        : confirmLinkOf(mail.parsed)
          ? confirmationReactionsOf(to, id, options.pace)
          : reactionsOf(to, people.get(to), id, options.pace);
    for (const reaction of reactions) {
      const timer = setTimeout(() => {
        timers.delete(timer);
        void insist(() => act(reaction, mail, intake)).catch((error: Error) =>
          options.say(`simulated reader: ${error.message}`),
        );
      }, reaction.after);
      timers.add(timer);
    }
  };
  const server = new SMTPServer({
    authOptional: true,
    disabledCommands: ['AUTH', 'STARTTLS'],
    disableReverseLookup: true,
    banner: 'simulated outside world',
    onRcptTo({ address }, _session, done) {
      const to = address.toLowerCase();
      const door = atTheDoorOnBadDay(to, badDayOf(to)) ?? atTheDoor(to, people.get(to));
      done(door.take ? null : Object.assign(new Error(door.reply), { responseCode: door.code }));
    },
    onData(stream, session, done) {
      const chunks: Buffer[] = [];
      stream.on('data', (chunk: Buffer) => chunks.push(chunk));
      stream.on('end', () => {
        received++;
        // The session forgets its envelope once the message is answered.
        const { mailFrom, rcptTo } = session.envelope;
        done(null, '2.0.0 taken by the simulated world');
        void readMail(Buffer.concat(chunks), mailFrom ? mailFrom.address : '', rcptTo[0]!.address.toLowerCase()).then(
          react,
        );
      });
    },
  });
  server.on('error', (error) => options.say(`simulated relay: ${error.message}`));
  await new Promise<void>((resolve, reject) => {
    server.server.once('error', reject);
    server.listen(options.port, options.host, resolve);
  });
  return {
    pending: () => timers.size,
    received: () => received,
    stop: async () => {
      for (const timer of timers) clearTimeout(timer);
      intake.close();
      await new Promise<void>((resolve) => server.close(resolve));
    },
  };
}

interface ReceivedMail {
  original: Original;
  parsed: ParsedMail;
}

async function readMail(raw: Buffer, envelopeFrom: string, to: string): Promise<ReceivedMail> {
  const text = raw.toString('utf8');
  return {
    original: { envelopeFrom, to, headers: text.slice(0, text.indexOf('\r\n\r\n')) },
    parsed: await simpleParser(raw),
  };
}

/** Waits before what failed is tried again: a dropped line stops neither a mail server nor a reader. */
const TRY_AGAIN_MS = [500, 2000, 8000];

async function insist(what: () => Promise<void>): Promise<void> {
  for (const wait of TRY_AGAIN_MS) {
    try {
      return await what();
    } catch {
      await delay(wait);
    }
  }
  await what();
}

async function act({ act: what }: Reaction, { original, parsed }: ReceivedMail, intake: Transporter): Promise<void> {
  const html = typeof parsed.html === 'string' ? parsed.html : '';
  const report = (raw: string, to = original.envelopeFrom): Promise<unknown> =>
    intake.sendMail({ envelope: { from: '', to }, raw });
  switch (what.kind) {
    case 'bounce':
      return void (await report(deliveryReport(original, what.status, what.reply)));
    case 'complain':
      return void (await report(complaintReport(original)));
    case 'open':
      return visit(pixelOf(html), what.userAgent);
    case 'click': {
      const links = linksOf(html);
      return visit(
        what.link === 'first' ? links[0] : links[original.to.length % Math.max(1, links.length)],
        what.userAgent,
      );
    }
    case 'scan':
      // A scanner takes every address it finds, seen or unseen.
      for (const url of [...allLinksOf(html)]) await visit(url, what.userAgent);
      return;
    case 'confirm': {
      const url = confirmLinkOf(parsed);
      return visit(url, what.userAgent, { method: 'POST' });
    }
    case 'ask':
      return void (await report(answer(original, parsed, what.words)));
    case 'unsubscribe': {
      const wayOut = waysOut(parsed);
      if (what.by === 'mail' && wayOut.mailbox)
        return void (await report(unsubscribeLetter(original.to, wayOut.mailbox), wayOut.mailbox));
      return visit(wayOut.url, MAILBOX_SERVICE, {
        method: 'POST',
        body: new URLSearchParams({ 'List-Unsubscribe': 'One-Click' }),
      });
    }
  }
}

/** What a person writes below a message, by pressing the button that answers it. */
function answer({ to, envelopeFrom }: Original, { subject, messageId }: ParsedMail, words: string): string {
  return letter(to, envelopeFrom, `Re: ${subject ?? ''}`, words, { 'In-Reply-To': messageId ?? '' });
}

/** A mailbox service acts on one-click requests for its readers (RFC 8058 section 3.2). */
const MAILBOX_SERVICE = 'Lanternpost-Mail/2';

async function visit(url: string | undefined, userAgent: string, request: RequestInit = {}): Promise<void> {
  if (url === undefined) return;
  const response = await fetch(url, { ...request, headers: { 'user-agent': userAgent }, redirect: 'manual' });
  await response.arrayBuffer();
  if (response.status >= 500) throw new Error(`${url} answered ${response.status}`);
}

function allLinksOf(html: string): string[] {
  return [...html.matchAll(/<a\b[^>]*\bhref="([^"]+)"/g)]
    .map((match) => match[1]!)
    .filter((url) => [PUBLIC_PATHS.to, PUBLIC_PATHS.confirm].some((path) => url.includes(`${path}/`)));
}

/** Links that a person sees: not the ones drawn invisibly. */
function linksOf(html: string): string[] {
  const visible = html.replace(/<a\b[^>]*display:none[^>]*>/g, '');
  return allLinksOf(visible);
}

function confirmLinkOf(parsed: ParsedMail): string | undefined {
  return allLinksOf(typeof parsed.html === 'string' ? parsed.html : '').find((url) =>
    url.includes(`${PUBLIC_PATHS.confirm}/`),
  );
}

function pixelOf(html: string): string | undefined {
  return [...html.matchAll(/<img\b[^>]*\bsrc="([^"]+)"/g)]
    .map((match) => match[1]!)
    .find((url) => url.includes(`${PUBLIC_PATHS.seen}/`));
}

function waysOut(parsed: ParsedMail): { url?: string; mailbox?: string } {
  const line = parsed.headerLines.find(({ key }) => key === 'list-unsubscribe')?.line.replace(/\r?\n\s+/g, ' ') ?? '';
  return { url: /<(https?:[^>]+)>/.exec(line)?.[1], mailbox: /<mailto:([^?>]+)/.exec(line)?.[1] };
}
