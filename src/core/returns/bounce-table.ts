import type { BounceClass } from '../../shared/words.ts';

/** An enhanced status code that decides by itself, and where that is said. */
export interface StatusRow {
  status: RegExp;
  class: BounceClass;
  source: string;
}

/** The first row that matches holds. The catch-all codes (X.0.0, X.1.0, X.3.0, X.4.0, X.5.x) are in no row. */
export const STATUS_TABLE: readonly StatusRow[] = [
  { status: /^[45]\.2\.2$/, class: 'soft', source: 'RFC 3463 3.3: mailbox full' },
  { status: /^5\.2\.3$/, class: 'soft', source: 'RFC 3463 3.3: message longer than this mailbox takes' },
  { status: /^5\.2\.4$/, class: 'soft', source: 'RFC 3463 3.3: mailing list expansion problem' },
  { status: /^5\.3\.4$/, class: 'soft', source: 'RFC 3463 3.4: message too big for the system' },
  { status: /^5\.3\.[1235]$/, class: 'soft', source: 'RFC 3463 3.4: the receiving system, not the address' },
  { status: /^[45]\.4\.1$/, class: 'soft', source: 'RFC 3463 3.5: no answer from host' },
  { status: /^5\.4\.[235678]$/, class: 'soft', source: 'RFC 3463 3.5: the way there, not the address' },
  { status: /^4\.\d+\.\d+$/, class: 'soft', source: 'RFC 3463 2: persistent transient failure' },
  { status: /^5\.1\.1$/, class: 'hard', source: 'RFC 3463 3.2: bad destination mailbox' },
  { status: /^5\.1\.2$/, class: 'hard', source: 'RFC 3463 3.2: bad destination system' },
  { status: /^5\.1\.3$/, class: 'hard', source: 'RFC 3463 3.2: bad destination syntax' },
  { status: /^5\.1\.6$/, class: 'hard', source: 'RFC 3463 3.2: mailbox has moved, no forwarding address' },
  { status: /^5\.1\.10$/, class: 'hard', source: 'RFC 7505 4: null MX' },
  { status: /^5\.2\.1$/, class: 'hard', source: 'RFC 3463 3.3: mailbox disabled' },
  { status: /^5\.4\.4$/, class: 'hard', source: 'RFC 3463 3.5: unable to route' },
  { status: /^5\.7\.\d+$/, class: 'block', source: 'RFC 3463 3.8: security or policy' },
  { status: /^5\.1\.[78]$/, class: 'block', source: "RFC 3463 3.2: sender's address" },
  { status: /^5\.6\.\d+$/, class: 'block', source: 'RFC 3463 3.7: content or media' },
];

/** Plain words of a server, and what they are about. */
export type WordsAbout = 'sender' | 'no-mail' | 'unknown' | 'domain' | 'full' | 'size' | 'later' | 'block';

export interface WordsRow {
  about: WordsAbout;
  class: BounceClass;
  words: RegExp;
  source: string;
}

/**
 * Words by which servers say what is wrong, RFC 5321 leaving the text of a reply free; collected from reply texts that
 * mail servers are shipped with, English first. Every pattern is linear: bounded repeats, no nesting.
 */
export const WORDS_TABLE: readonly WordsRow[] = [
  {
    about: 'sender',
    class: 'block',
    source: "plain words about the sender's side",
    words:
      /\b(sender (address |domain )?(rejected|denied|refused|invalid|verify failed|verification failed|unknown|not found)|sender (domain|address) (does not|doesn['’]t|must) (exist|resolve)|(invalid|bad|unknown|unresolvable) sender|return[- ]path (rejected|refused|denied|invalid)|helo|ehlo|reverse (dns|lookup)|ptr record|no ptr|rdns|envelope from|(in reply to|after|during) mail from)\b/i,
  },
  {
    about: 'no-mail',
    class: 'hard',
    source: 'RFC 7505 in plain words: the domain says that it takes no mail',
    words:
      /\b(null[ -]?mx\b|mx( records?| host| exchangers?)?( for \S{1,100})?(( is| are| of| points? to|:|=) ?(a |the )?(["'<(]\.["'>)]|single dot|\.(?=\s|$))| 0 \.(?=\s|$))|(domain|host|destination|site|it)( \S{1,100})? (does( not|n['’]?t)|do not|will not|won['’]?t|never) (accept|receive|take|want|handle)s?( any| incoming| inbound)? ?(e-?mails?|mail)\b(?! (from|by|via|over|sent|with|at|right|today|until|larger|of|that|for))|(domain|host)( \S{1,100})? (accepts|receives|takes) no (e-?mail|mail)\b(?! (from|with|until)))/i,
  },
  {
    about: 'unknown',
    class: 'hard',
    source: 'plain words for a mailbox that is not there or was closed',
    words: new RegExp(
      [
        String.raw`\b(unknown|invalid|illegal|bad|no such|non-?existent|nonexisting|undefined) (or (illegal|invalid) )?(virtual )?(user|recipients?|mailbox|address(ee)?|account|alias|local[ -]part|destination mailbox|e-?mail address|user account|login)\b`,
        String.raw`\b(user|recipient|mailbox|address|addressee|account|login|alias|e-?mail account|e-?mail address)( address)?( name)?:? (is |was |has been )?(un|not )(known|recognized|recognised|listed|found|registered|valid|in use|existing|existent|defined)\b`,
        String.raw`\b(user|recipient|mailbox|address|account|e-?mail account|e-?mail address|person|inbox)\b(?:[^.;\n]|\.(?=\S)){0,80}\b((does|do|did)( not|n['’o]?t) exist|does( not|n['’o]?t) have (an?|any) |(couldn['’]t|could not|cannot|can['’]t|wasn['’]t|was not) be found|wasn['’]t found|not found|no longer (exists?|valid|active|available|in use|used|employed|accepts)|isn['’]t (valid|listed))`,
        String.raw`\bno (such )?(mailbox|user|account|person|recipient)( here)?( by that name| with that name| at this address)?\b`,
        String.raw`\b(there is|has|have) no (such )?(account|mailbox|user)\b`,
        String.raw`\b(user|mailbox|account|recipient|address|inbox)( account| mailbox)?( has been| is| was|:)?( currently| temporarily| permanently)? ?(disabled|deactivated|de-activated|inactive|closed|terminated|cancelled|canceled|deleted|removed|expired|retired|dormant|discontinued|suspended)\b`,
        String.raw`\b(this|that|the) (user|account|mailbox|address) doesn['’]t have\b|\bdoesn['’]t have an? [\w.]{1,60} account\b`,
        String.raw`\bnot (a )?(valid|known|listed|our|a local) (recipient|mailbox|user|address|customer|account|local user)\b|\bnot our customer\b|\bnot listed in\b`,
        String.raw`\b(address|account|mailbox) has expired\b`,
        String.raw`\b(unrouteable|unroutable|undeliverable|unrecognized|unrecognised) address\b`,
        String.raw`\b(RecipNotFound|RecipientNotFound|ADR\.InvalidSmtp|UnknownUser|NoSuchUser)\b`,
        String.raw`\b(no longer (works|with|employed|at)|has left (the|our) (company|organi[sz]ation|school)|user has moved|recipient has moved)\b`,
        String.raw`\b(unbekannter (benutzer|empf[aä]nger)|(benutzer|empf[aä]nger|adresse|postfach) (ist )?(unbekannt|existiert nicht|nicht gefunden|nicht bekannt|deaktiviert)|(utilisateur|destinataire|adresse|compte) (inconnue?|inexistante?|n['’]existe pas)|bo[iî]te (inconnue|inexistante)|(usuario|destinatario|cuenta|direcci[oó]n) (desconocid[oa]|no existe|inexistente)|(utente|destinatario|casella|indirizzo) (sconosciut[oa]|inesistente|non esiste)|(usu[aá]rio|conta|endere[cç]o) (desconhecid[oa]|inexistente|n[aã]o existe)|(gebruiker|ontvanger|postbus) (onbekend|bestaat niet)|ok[aä]nd (anv[aä]ndare|mottagare))`,
      ].join('|'),
      'i',
    ),
  },
  {
    about: 'domain',
    class: 'hard',
    source: 'plain words for a domain that is not there',
    words:
      /\b(no such (domain|host)|(domain|host)( name)?( \S{1,100})? (does( not|n['’]?t) exist|not found|unknown|has no mail|is not found)|unknown (domain|host)|(couldn['’]t|could not|can['’]t|cannot) find any host|non-?existent (domain|hosts?)|nxdomain|unrouteable mail domain|unroutable domain|name or service not known|no mail ?(servers?|exchangers?|hosts?) (for|found|defined)|mx records? point to non-?existent|invalid domain|illegal (host|domain))\b/i,
  },
  {
    about: 'full',
    class: 'soft',
    source: 'plain words for a full mailbox',
    words:
      /\b((mailbox|mail ?box|inbox|mailfolder|folder|account|user|recipient)('s)?( \S{1,100})?( is| was| has)?( \w{1,12})? (full|over ?quota)|over( its| the|)? ?(disk )?quota|(exceed(ed|s)?|exceeding|over|out of)( \w{1,12}){0,3} (storage|quota|space|mail ?box size)|quota (has been )?(exceeded|exhausted)|quota limit|(insufficient|not enough)( \w{1,12}){0,2} (storage|space|quota)|no space left|disk full|mailbox size limit|storage (allocation|limit)( \w{1,12})? exceeded|mailbox full|full mailbox|(postfach|mailbox) (ist )?(voll|[uü]berf[uü]llt)|bo[iî]te (aux lettres )?pleine|buz[oó]n lleno|casella (di posta )?piena|caixa( postal)? cheia|postbus vol)\b/i,
  },
  {
    about: 'size',
    class: 'soft',
    source: 'plain words for this message being too big',
    words:
      /\b(message( \w{1,12}){0,3} (too (big|large|long)|exceeds)|(exceeds|over|maximum)( \w{1,12}){0,3} (message )?size|size( \w{1,12}){0,2} (exceeds|exceeded|limit)|too (big|large) for)\b/i,
  },
  {
    about: 'block',
    class: 'block',
    source: 'plain words for content, policy, listing, authentication or rate',
    words:
      /\b(spam\w*|unsolicited|bulk|junk\w*|phish\w*|malware|virus(es)?|viruses|infected|suspicious|block(ed|ing|list\w*|-list\w*)?|blacklist\w*|black-list\w*|deny ?list\w*|dnsbl|rbl|listed (in|on|by|at)|is listed|reputation|policy|policies|polic[yi]\w* (reasons?|violation)|content|throttl\w*|(sending |message |connection |mail )?rate( limit\w*)?|rate-limited|too many (messages|connections|recipients|concurrent|e?mails)|authenticat\w*|unauthenticated|spf|dkim|dmarc|banned|prohibited|administrative(ly)? (prohibition|prohibited|denied)|not (authori[sz]ed|permitted)|(?<!name )not allowed|unauthori[sz]ed|relay(ing)?( access| is)? (denied|not permitted|not allowed|prohibited)|unable to relay|we do not relay|rcpthosts|refused by (filter|policy)|access denied|message (was )?(rejected|refused|blocked)|rejected (for|due to|because)|filter(ed|ing)?|attachment|blocked using|complaints?|abuse)\b/i,
  },
  {
    about: 'later',
    class: 'soft',
    source: 'plain words for not now',
    words:
      /\b(temporar\w*|try(ing)? (again|later)|re-?try|gr[ea]ylist\w*|deferred|timed? ?out|timeout|connection (refused|reset|lost|dropped|closed|failed)|connection to \S{1,100} (timed|refused|lost)|no route to host|network (is )?unreachable|host (is )?(unreachable|down|not responding)|not responding|unreachable|could ?n['’o]?t (establish|connect)|(wasn['’]t|unable|not able) to (establish|connect)|queue too long|expired|service (not available|unavailable)|server busy|too busy|overload\w*|lost connection|(mail|routing) loop|too many hops|hop count|loops back)\b/i,
  },
];

/** A mailbox that cannot be used, which is for good only after a 5xx (RFC 5321 4.2.3). */
export const UNAVAILABLE =
  /\b(mailbox|mail ?box|user|account|recipient|inbox)( address| name)?( \S{1,100})?( is| was|:)? ?(currently )?(unavailable|not available|no longer available)\b/i;
/** A reply that turns this recipient or their domain away, in the words of the server that was asked. */
export const TURNED_AWAY =
  /\b(recipient|user|mailbox|address|addressee|domain|host)( address| name)?( \S{1,100})?:? (was |is |has been )?(rejected|denied|refused|unknown|unrecogni[sz]ed|not (found|known|accepted|allowed|listed|local|valid|recogni[sz]ed)|invalid|disabled)\b|\b(unknown|invalid|unrecogni[sz]ed|no such|rejected) (recipient|user|mailbox|address|domain|host)\b|\b(recipient|relay(ing)?|relay access) (access )?(denied|rejected|refused)\b/i;
/**
 * It was said of the recipient, and not of the sender or the message: in answer to RCPT, or in the form of a make that
 * says so.
 */
export const OF_RECIPIENT = /\bRCPT(?: TO)?\b|#5\.1\.0\b/i;
/** Words by which a server says that it heard nothing from the next. */
export const NO_ANSWER =
  /\b(no answer|did not (answer|respond)|not responding|timed? ?out|connection|unreachable|try again)\b/i;

/** Words that follow "host not found" when it may be found later. */
export const FOUND_LATER =
  /\b(try again|temporary|temporarily|name service error for name=\S{1,200} type=MX: (host not found, )?try)\b/i;
