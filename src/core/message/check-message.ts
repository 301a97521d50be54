import type { Finding, FoundPlace } from '../../shared/contract/messages.ts';
import type { FindingWeight, Purpose } from '../../shared/words.ts';
import {
  compileMessage,
  type MessageField,
  type MessageSource,
  type PlacedProblem,
  type ReadMessage,
} from './compile-message.ts';
import { isAligned } from './dkim.ts';
import type { HtmlParts } from './html-parts.ts';
import { findHtmlLinks, findTextLinks } from './links.ts';
import { MOST_PROBLEMS, parseTemplate } from './merge-fields.ts';

/** What the check is told of the world outside the message. */
export interface CheckedAgainst {
  /** Names of the merge fields there are. */
  known: ReadonlySet<string>;
  purpose: Purpose;
  /** Why each recipient has to get it, where it is a service message. */
  statement: string;
  /** How large its HTML is when it leaves, in bytes; 0 for plain text alone. */
  htmlBytes: number;
  /** Of how many in the audience a merge field is empty. */
  lacking: ReadonlyMap<string, number>;
  sender: CheckedSender;
}

/** What speaks for the address that a message comes from. */
export interface CheckedSender {
  fromAddress: string;
  /** The keys with which it is signed. */
  keys: { selector: string; domain: string }[];
  /** What the DNS says of SPF, DMARC and the keys that sign; `agrees` is null where nobody could be asked. */
  records: { name: string; what: 'DKIM' | 'SPF' | 'DMARC'; agrees: boolean | null }[];
}

/** Mailboxes cut the HTML of a message at about 100 kB, and what stands behind with it: the way out, too. */
const MOST_SHOWN_BYTES = 100_000;
/** Of a longer subject many programs show the beginning alone. */
const LONGEST_SUBJECT = 78;
/** Fewer letters are no text that can be read. */
const READABLE_LETTERS = 20;
/** Pictures, and things that mailboxes take out, that are told of one by one. */
const MOST_OF_A_KIND = 20;
/** What is said of why a service message has to be had takes a sentence. */
const SHORTEST_STATEMENT = 20;

/** Checks a message before it is sent: what stops it first, then what is worth a look, then what is as it should be. */
export function checkMessage(
  source: MessageSource,
  against: CheckedAgainst,
  read: ReadMessage = compileMessage(source, against.known),
): Finding[] {
  const { problems, parts, text } = read;
  const all = [
    ...reportStopping(source, problems),
    ...checkPurpose(source, against),
    ...checkSubject(source),
    ...(parts && source.html.trim() !== '' ? checkHtml(source, parts, against.htmlBytes) : []),
    ...checkNotation(source),
    ...checkLacking(source, against),
    ...(parts ? checkText(source, text) : []),
    ...checkSender(against.sender),
  ];
  return (['stops', 'look', 'fine'] as const).flatMap((weight) => all.filter((one) => one.weight === weight));
}

/** What keeps a service message from being sent: nobody said why each recipient has to get it. */
export function statementProblem(purpose: Purpose, statement: string): string | undefined {
  if (purpose !== 'service' || statement.trim().length >= SHORTEST_STATEMENT) return undefined;
  return 'A service message needs a statement: say in a sentence why each recipient has to get it, also who opted out.';
}

const TITLES: Record<PlacedProblem['code'], string> = {
  'no-subject': 'There is no subject',
  'no-body': 'There is no body',
  'unknown-field': 'A merge field that nobody has',
  'unclosed-field': 'A merge field is not closed',
  'no-fallback': 'A merge field does not say what else to write',
  'field-in-link': 'holds a merge field',
  'broken-link': 'leads nowhere',
  'long-link': 'is too long',
  'many-links': 'There are too many links',
  'too-deep': 'The HTML is too deep',
};
const OF_LINKS = new Set<PlacedProblem['code']>(['field-in-link', 'broken-link', 'long-link']);

function reportStopping(source: MessageSource, problems: PlacedProblem[]): Finding[] {
  const starts = (links: { start: number }[]): Map<number, number> =>
    new Map(links.map(({ start }, index) => [start, index + 1]));
  const numbers = problems.some(({ code }) => OF_LINKS.has(code))
    ? { html: starts(findHtmlLinks(source.html)), text: starts(findTextLinks(source.text)) }
    : undefined;
  return problems.slice(0, MOST_PROBLEMS).map(({ code, field, at, end, message }) => {
    const number = field === 'html' || field === 'text' ? numbers?.[field].get(at) : undefined;
    const title = OF_LINKS.has(code) ? `Link ${number} ${TITLES[code]}` : TITLES[code];
    const place = at === end ? undefined : placeIn(source, field, at, end);
    return finding('stops', code, title, message, place);
  });
}

/** Of text alone the HTML is only kept beside it. */
function fieldsThatLeave({ format }: MessageSource): MessageField[] {
  return format === 'text' ? ['subject', 'text'] : ['subject', 'previewLine', 'html', 'text'];
}

function placeIn(source: MessageSource, field: MessageField, at: number, end: number): FoundPlace {
  return { field, at, end, line: (source[field] ?? '').slice(0, at).split('\n').length };
}

const finding = (weight: FindingWeight, code: string, title: string, advice: string, place?: FoundPlace): Finding => ({
  weight,
  code,
  title,
  advice,
  place: place ?? null,
  lacking: null,
});

/** Words of offers in English, German, French and Spanish: a look, not a judgement. */
const OFFER =
  /\d\s?%\s?(off|discount|rabatt|de remise|de réduction|de descuento)|\b(special offer|limited offer|on sale|discounts?|vouchers?|coupons?|buy now|order now|sonderangebot|rabatt|gutschein|jetzt kaufen|offre spéciale|promotion|bon d’achat|oferta|descuento|cupón|compra ya)\b/iu;

function checkPurpose(source: MessageSource, { purpose, statement }: CheckedAgainst): Finding[] {
  if (purpose === 'marketing') return [];
  const problem = statementProblem(purpose, statement);
  const place: FoundPlace = { field: 'statement', at: 0, end: 0, line: 1 };
  const stated = problem ? [finding('stops', 'no-statement', 'There is no statement of why', problem, place)] : [];
  for (const field of fieldsThatLeave(source)) {
    const found = OFFER.exec(source[field] ?? '');
    if (!found) continue;
    const offer = placeIn(source, field, found.index, found.index + found[0].length);
    const advice = `“${found[0]}”: a service message holds nothing that advertises. Who opted out did so for that.`;
    return [...stated, finding('look', 'offer', 'This looks like an offer', advice, offer)];
  }
  return stated;
}

function checkSubject({ subject }: MessageSource): Finding[] {
  const length = [...subject].length;
  if (length <= LONGEST_SUBJECT) return [];
  const advice = `It has ${length} characters; many programs show the first ${LONGEST_SUBJECT} at most.`;
  return [finding('look', 'long-subject', 'The subject is long', advice)];
}

function checkHtml(source: MessageSource, parts: HtmlParts, htmlBytes: number): Finding[] {
  const bare = parts.pictures.flatMap((picture, index) =>
    picture.alt === null ? [{ ...picture, number: index + 1 }] : [],
  );
  const found = bare
    .slice(0, MOST_OF_A_KIND)
    .map(({ number, at, end }) =>
      finding(
        'look',
        'no-description',
        `Picture ${number} has no description`,
        'Who does not load pictures sees nothing. Say what it shows in alt="…", or alt="" if it only decorates.',
        placeIn(source, 'html', at, end),
      ),
    );
  if (parts.letters === 0 && parts.pictures.length > 0)
    found.push(
      finding(
        'look',
        'pictures-alone',
        'The message is pictures alone',
        'Who does not load them reads nothing, and filters distrust it. Write its words as words.',
      ),
    );
  for (const { tag, at, end } of parts.active.slice(0, MOST_OF_A_KIND))
    found.push(
      finding(
        'look',
        'taken-out',
        `Mailboxes take <${tag}> out`,
        'What it does, it does not do in a message. Lead to a page instead.',
        placeIn(source, 'html', at, end),
      ),
    );
  return [...found, ofSize(htmlBytes)];
}

function ofSize(htmlBytes: number): Finding {
  const size = `${Math.max(1, Math.round(htmlBytes / 1000))} kB`;
  return htmlBytes > MOST_SHOWN_BYTES
    ? finding(
        'look',
        'size',
        `${size}; mailboxes cut at about 100`,
        'What stands behind is not shown, the way out among it. Shorten the message, or move its style and pictures out.',
      )
    : finding('fine', 'size', `${size}; mailboxes cut at about 100`, '');
}

const OTHER_NOTATION = /\{\{[^{}\n]{1,80}\}\}/u;

function checkNotation(source: MessageSource): Finding[] {
  for (const field of fieldsThatLeave(source)) {
    const found = OTHER_NOTATION.exec(source[field] ?? '');
    if (found)
      return [
        finding(
          'look',
          'other-notation',
          'This goes out as it stands',
          `“${found[0]}” is no merge field here. They are written [[first_name else "stargazer"]].`,
          placeIn(source, field, found.index, found.index + found[0].length),
        ),
      ];
  }
  return [];
}

/** Merge fields that a message uses, with what it says instead and where it first does. */
export function findUsedFields(source: MessageSource): Map<string, { instead: string; place: FoundPlace }> {
  const used = new Map<string, { instead: string; place: FoundPlace }>();
  for (const field of fieldsThatLeave(source)) {
    const template = source[field] ?? '';
    let from = 0;
    for (const piece of parseTemplate(template, NONE).pieces) {
      if (piece.kind === 'text') {
        from += piece.text.length;
        continue;
      }
      const end = template.indexOf(']]', from) + 2;
      if (!used.has(piece.field) && piece.field !== 'address')
        used.set(piece.field, { instead: piece.fallback, place: placeIn(source, field, from, end) });
      from = end;
    }
  }
  return used;
}

const NONE: ReadonlySet<string> = new Set();

function checkLacking(source: MessageSource, { lacking }: CheckedAgainst): Finding[] {
  return [...findUsedFields(source)].flatMap(([field, { instead, place }]) => {
    const contacts = lacking.get(field) ?? 0;
    if (contacts === 0) return [];
    const title = `${contacts.toLocaleString('en-GB')} ${contacts === 1 ? 'has' : 'have'} no ${field.replaceAll('_', ' ')}`;
    const reads = contacts === 1 ? 'That one reads' : 'They read';
    const advice = `${reads} ${instead === '' ? 'nothing in its place' : `“${instead}”`}.`;
    return [{ ...finding('look', 'lacking', title, advice, place), lacking: field }];
  });
}

function checkText(source: MessageSource, text: string): Finding[] {
  if (source.html.trim() === '') return [];
  const isMade = source.text.trim() === '';
  if ((text.match(/[\p{L}\p{N}]/gu)?.length ?? 0) < READABLE_LETTERS)
    return [
      finding(
        'look',
        'no-text',
        'There is no text to read',
        'Some programs, watches and voices read the text part alone. Write one.',
      ),
    ];
  const title = isMade ? 'Text part made from the HTML' : 'A text part of its own';
  return [finding('fine', 'text', title, `${text.length.toLocaleString('en-GB')} characters`)];
}

/** DKIM, SPF and DMARC of the From address, as far as is known: relays may sign what is not signed here. */
function checkSender({ fromAddress, keys, records }: CheckedSender): Finding[] {
  const domain = fromAddress.slice(fromAddress.lastIndexOf('@') + 1);
  const strangers = keys.filter((key) => !isAligned(key.domain, fromAddress));
  const wrong = [
    ...strangers.map((key) =>
      finding(
        'look',
        'not-aligned',
        `The key ${key.selector} does not speak for ${domain}`,
        `It signs for ${key.domain}. Receiving servers take the message for unsigned; give the brand a key of its own domain.`,
      ),
    ),
    ...records
      .filter(({ agrees }) => agrees === false)
      .map(({ name, what }) =>
        finding(
          'look',
          'dns',
          `${what} of ${name} is not in the DNS`,
          'Receiving servers distrust the message. What should stand there: Settings, or avendel dkim dns.',
        ),
      ),
  ];
  const proven = [...new Set(records.filter(({ agrees }) => agrees).map(({ what }) => what))];
  if (wrong.length > 0) return wrong;
  if (proven.length > 0) return [finding('fine', 'sender', `From agrees with ${proven.join(', ')}`, '')];
  const signed = `Signed for ${domain} with ${keys.map(({ selector }) => selector).join(' and ')}`;
  return keys.length > 0 ? [finding('fine', 'sender', signed, 'The DNS was not asked whether it stands there.')] : [];
}
