import { findFullCap } from '../../core/rules/cap.ts';
import { isInEffect } from '../../core/eligibility/in-effect.ts';
import {
  applies,
  decideVerdict,
  REASON_OF_LIST,
  type MatchingEntry,
  type Verdict,
} from '../../core/eligibility/decide-verdict.ts';
import { parseAddress } from '../../core/address/normal-form.ts';
import { suppressionKeys } from '../../core/address/suppression-keys.ts';
import type { Reason, Stage } from '../../shared/words.ts';
import { BrandEntity, type Brand } from '../../store/entities/organisation.ts';
import {
  findContact,
  findContactSubscriptions,
  type ContactRow,
  type ContactSubscription,
} from '../../store/statements/contacts.ts';
import { listCaps } from '../../store/statements/caps.ts';
import type { CappedByNamed } from '../../store/statements/held-back-by.ts';
import { listHandedOver } from '../../store/statements/mailed.ts';
import { findRecentBounces, type BounceEvidence } from '../../store/statements/evidence.ts';
import { findSunsetRule } from '../../store/statements/rules.ts';
import { findMatchingEntries, type EntryRow } from '../../store/statements/suppression.ts';
import { findDecidedStage } from '../../store/statements/sunset-stages.ts';
import type { Deps } from '../deps.ts';
import { Problem } from '../problem.ts';
import { withLifting } from '../suppression/keep-entries.ts';

/** May this brand write to this address, and why. */
export interface BrandVerdict extends Verdict {
  brandId: number;
  brandName: string;
  stage: Stage;
  silentDays: number;
  messages: number;
  stageSince: Date | null;
  /** One sentence for each reason, the deciding one first. */
  because: { reason: Reason; text: string }[];
  /** The cap that is full now, and by which messages: it holds back the next marketing message until there is room. */
  capped: (CappedByNamed & { until: Date }) | null;
  /** What stops service messages too, in order. */
  serviceReasons: Reason[];
}

export interface AddressCheck {
  address: string;
  contact: ContactRow | null;
  brands: BrandVerdict[];
  entries: (EntryRow & { notLiftable: string | null })[];
  subscriptions: ContactSubscription[];
  bounces: BounceEvidence[];
}

/** Who is this, and may we write to them, and why: for every brand, with every reason and its evidence. */
export async function checkAddress(deps: Deps, text: string): Promise<AddressCheck> {
  const parsed = parseAddress(text);
  if (!parsed.ok)
    throw new Problem('invalid-input', `“${text.slice(0, 200)}” is not an address (${parsed.problem}).`, {
      field: 'address',
    });
  const contact = (await findContact(deps.database, { address: parsed.address })) ?? null;
  const entries = (await findMatchingEntries(deps.database, suppressionKeys(parsed.address))).map(withLifting);
  const subscriptions = contact ? await findContactSubscriptions(deps.database, contact.id) : [];
  const bounces = contact ? await findRecentBounces(deps.database, contact.id) : [];
  const brands = await deps.database.getRepository(BrandEntity).find({ order: { id: 'ASC' } });
  const verdicts: BrandVerdict[] = [];
  for (const brand of brands) verdicts.push(await verdictOf(deps, brand, { contact, entries, subscriptions, bounces }));
  return { address: parsed.address, contact, brands: verdicts, entries, subscriptions, bounces };
}

type Found = Omit<AddressCheck, 'address' | 'brands'>;

async function verdictOf(deps: Deps, brand: Brand, on: Found): Promise<BrandVerdict> {
  const { rule } = await findSunsetRule(deps.database, brand.id);
  const standing = on.contact
    ? await findDecidedStage(deps.database, brand.id, rule, deps.now(), on.contact.id)
    : undefined;
  const inEffect = on.entries.filter((entry) => isInEffect(entry, deps.now()));
  const lists = on.subscriptions.filter((row) => row.brandId === brand.id && row.state !== null);
  const facts = {
    erased: on.contact?.erasedAt != null,
    archived: on.contact?.archivedAt != null,
    deliverability: on.contact?.deliverability ?? 'deliverable',
    entries: inEffect.map(matching),
    subscriptions: lists.map((row) => ({ listId: row.listId, state: row.state! })),
    leftOut: false,
    // Caps pass, and are asked of each message: what they say now stands beside the verdict.
    capped: false,
    alreadySent: false,
  };
  const scope = {
    brandId: brand.id,
    listIds: lists.filter((row) => row.state === 'subscribed').map((row) => row.listId),
    purpose: 'marketing' as const,
  };
  const verdict = decideVerdict(facts, scope);
  const service = decideVerdict(facts, { ...scope, purpose: 'service' });
  const relevant = inEffect.filter((entry) => applies(matching(entry), scope));
  return {
    ...verdict,
    brandId: brand.id,
    brandName: brand.name,
    stage: standing?.current ?? 'new',
    silentDays: standing?.silentDays ?? 0,
    messages: standing?.messages ?? 0,
    stageSince: standing?.since ?? null,
    because: verdict.reasons.map((reason) => ({ reason, text: reasonText(reason, brand, relevant, on) })),
    capped: await findCapped(deps, brand, on.contact),
    serviceReasons: service.reasons,
  };
}

async function findCapped(deps: Deps, { id }: Brand, contact: Found['contact']): Promise<BrandVerdict['capped']> {
  if (!contact) return null;
  const caps = await listCaps(deps.database, id, false);
  const messages = caps.length === 0 ? [] : await listHandedOver(deps.database, contact.id);
  const full = findFullCap(
    caps,
    messages.map((one) => ({ ...one, at: one.at.getTime() })),
    deps.now().getTime(),
  );
  if (!full) return null;
  return {
    messages: full.cap.messages,
    days: full.cap.days,
    of: full.cap.brandId === null ? 'organisation' : 'brand',
    by: full.by.map(({ campaignId, name, at }) => ({ campaignId, name, at: new Date(at) })),
    until: new Date(full.until),
  };
}

function matching(entry: EntryRow): MatchingEntry {
  return {
    entryId: String(entry.id),
    listId: entry.listId,
    listName: entry.listName,
    builtIn: entry.builtIn,
    scope: entry.scope,
    scopeId: entry.scopeId,
    reach: entry.reach,
  };
}

/** What of an address stands on the list, where it is not the address as it is. */
function byWhat({ kind, value }: EntryRow, contact: Found['contact']): string {
  if (kind === 'domain') return `by its domain ${value} `;
  if (kind === 'hash') return 'by its digest ';
  return contact && contact.address !== value ? `by its base address ${value} ` : '';
}

const DAY = { day: 'numeric', month: 'long', year: 'numeric' } as const;

function reasonText(
  reason: Reason,
  brand: Brand,
  entries: EntryRow[],
  { contact, subscriptions, bounces }: Found,
): string {
  const entry = entries.find(({ builtIn }) => (builtIn ? REASON_OF_LIST[builtIn] : 'suppressed') === reason);
  const day = (instant: Date | null | undefined): string =>
    instant ? ` since ${instant.toLocaleDateString('en-GB', { ...DAY, timeZone: brand.zone })}` : '';
  switch (reason) {
    case 'undeliverable': {
      const said = bounces[0]?.reply ? `, “${bounces[0].reply}”` : '';
      return `${entry?.reason ?? 'the address cannot receive'}${said}${day(contact?.deliverabilitySince ?? entry?.enteredAt)}`;
    }
    case 'suppressed':
      return `${entry ? byWhat(entry, contact) : ''}on the list “${entry?.listName}”${day(entry?.enteredAt)}: ${entry?.reason}, entered by ${entry?.source}`;
    case 'complained':
      return `complained about a message of ${brand.name}${day(entry?.enteredAt)}; only their own fresh confirmation lifts that`;
    case 'unsubscribed': {
      if (entry?.endedBy && entry.endedBy !== 'contact')
        return `taken off everything of ${brand.name} by ${entry.source}${day(entry.enteredAt)}: ${entry.reason}`;
      if (entry) return `asked for no more from ${brand.name}${day(entry.saidAt)}`;
      const ended = subscriptions.filter((row) => row.brandId === brand.id && row.state === 'unsubscribed');
      const endOf = (words: string, rows: ContactSubscription[]): string[] =>
        rows.length > 0 ? [`${words} ${rows.map((row) => row.listName).join(', ')}${day(rows[0]?.since)}`] : [];
      const isTakenOff = ({ endedBy }: ContactSubscription): boolean => endedBy !== null && endedBy !== 'contact';
      return [
        ...endOf(
          'left',
          ended.filter((row) => !isTakenOff(row)),
        ),
        ...endOf('taken off', ended.filter(isTakenOff)),
      ].join('; ');
    }
    case 'unconfirmed':
      return `has not confirmed ${subscriptions.find((row) => row.brandId === brand.id && row.state === 'pending')?.listName}`;
    case 'no-permission':
      return `is on no list of ${brand.name}`;
    case 'sunset':
      return `at sunset${day(entry?.enteredAt)}: ${entry?.reason}; any act of theirs brings them back`;
    case 'archived':
      return `archived${day(contact?.archivedAt)}`;
    case 'erased':
      return 'erased at their own request; a hash is kept so that they stay out';
    default:
      return reason;
  }
}
