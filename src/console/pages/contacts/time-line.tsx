import { Button, Select } from '@mantine/core';
import { useState } from 'react';
import { useSearchParams } from 'react-router';
import type { TimeLineItem } from '../../../shared/contract/contacts.ts';
import type { JournalItem } from '../../../shared/contract/runs.ts';
import { useContactJournal, useTimeLine } from '../../api/queries/contacts.ts';
import { useBrand } from '../../brand.tsx';
import { ActorMark, type ActorName } from '../../components/marks.tsx';
import { Await, Door, Section } from '../../components/page.tsx';
import { moment } from '../../components/words.ts';
import css from './time-line.module.css';

const PAGE = 20;
const KINDS = [
  {
    group: 'Together',
    items: [
      { value: '', label: 'Everything' },
      { value: 'sent,delivered,delayed,bounced,held-back', label: 'Messages and returns' },
      { value: 'opened,clicked,visited', label: 'Opens, clicks, visits' },
      { value: 'subscribed,confirmed,unsubscribed,complained', label: 'Consent and complaints' },
    ],
  },
  {
    group: 'One kind',
    items: [
      'sent',
      'bounced',
      'held-back',
      'opened',
      'clicked',
      'visited',
      'purchased',
      'replied',
      'complained',
      'unsubscribed',
    ].map((kind) => ({ value: kind, label: kind.replace('-', ' ') })),
  },
];

/** Events, newest first; a person's acts in ink, a machine's lighter. Below, what the events changed. */
export function TimeLine({ contactId }: { contactId: number }) {
  const { zone } = useBrand();
  const [limit, setLimit] = useState(PAGE);
  const [params, setParams] = useSearchParams();
  const kinds = params.get('kinds') ?? '';
  const timeLine = useTimeLine(contactId, kinds, limit);
  return (
    <>
      <Section
        head="Time line"
        beside={
          <span className="row">
            <Key />
            <Select
              aria-label="Kinds of events"
              data={KINDS}
              value={kinds}
              allowDeselect={false}
              onChange={(value) => setParams(value ? { kinds: value } : {}, { replace: true })}
              w={200}
            />
          </span>
        }
      >
        <Await of={timeLine}>
          {({ items, more }) => (
            <>
              {items.length === 0 ? (
                <p className="second">{kinds === '' ? 'Nothing has happened yet.' : 'Nothing of this kind.'}</p>
              ) : null}
              <div className={css.timeline}>
                {items.map((item) => (
                  <Event key={item.id} item={item} zone={zone} />
                ))}
              </div>
              {more ? (
                <Button mt="sm" onClick={() => setLimit(Math.min(500, limit * 3))}>
                  Earlier events
                </Button>
              ) : null}
            </>
          )}
        </Await>
      </Section>
      <MarksAndJournal contactId={contactId} />
    </>
  );
}

function MarksAndJournal({ contactId }: { contactId: number }) {
  const { zone } = useBrand();
  const journal = useContactJournal(contactId);
  return (
    <Section head="Marks and journal">
      <Await of={journal}>
        {({ items }) => (
          <>
            {items.length === 0 ? <p className="second">No mark was ever changed.</p> : null}
            <div className={css.timeline}>
              {items.map((item) => (
                <Change key={item.id} item={item} zone={zone} />
              ))}
            </div>
          </>
        )}
      </Await>
    </Section>
  );
}

function Key() {
  return (
    <span className="row second">
      <span className="mark">
        <ActorMark actor="human" /> a person
      </span>
      <span className="mark">
        <ActorMark actor="machine" /> a machine or a rule
      </span>
      <span className="mark">
        <ActorMark actor="unknown" /> unknown
      </span>
    </span>
  );
}

function Event({ item, zone }: { item: TimeLineItem; zone: string }) {
  const actor: ActorName =
    item.kind === 'bounced' ? 'back' : item.kind === 'sent' || item.kind === 'held-back' ? 'sent' : item.actor;
  return (
    <>
      <time className={css.at} dateTime={item.at} title={item.at}>
        {moment(item.at, zone)}
      </time>
      <ActorMark actor={actor} />
      <span className={item.actor === 'human' ? 'human' : 'machine'}>
        {words(item)}{' '}
        {item.campaignId === null ? null : <Door to={`/campaigns/${item.campaignId}`}>{item.campaignName}</Door>}
        {item.actor === 'machine' && item.actorReason ? `: ${item.actorReason.replace('-', ' ')}` : ''}
      </span>
    </>
  );
}

function words({ kind, detail }: TimeLineItem): string {
  const {
    class: bounceClass,
    reply,
    reasons,
    way,
    what,
    link,
  } = (detail ?? {}) as {
    class?: string;
    reply?: string;
    reasons?: string[];
    way?: string;
    what?: string;
    link?: number;
  };
  switch (kind) {
    case 'sent':
      return 'Accepted,';
    case 'bounced':
      return `Bounced, ${bounceClass}: ${reply ?? ''}, on`;
    case 'clicked':
      return link === 0 ? 'Followed the trap link in' : 'Clicked in';
    case 'opened':
      return 'Opened';
    case 'held-back':
      return `Held back (${(reasons ?? []).join(', ')}) from`;
    case 'unsubscribed':
      return way?.startsWith('asked ')
        ? `Unsubscribed, having asked ${way.slice('asked '.length)},`
        : `Unsubscribed by ${way ?? 'request'}`;
    case 'complained':
      return 'Complained about';
    case 'purchased':
      return `Bought ${what ?? 'something'},`;
    case 'replied':
      return 'Replied to';
    case 'visited':
      return `Visited ${what ?? 'the site'}, from`;
    default:
      return `${kind[0]!.toUpperCase()}${kind.slice(1)}`;
  }
}

function Change({ item, zone }: { item: JournalItem; zone: string }) {
  return (
    <>
      <time className={css.at} dateTime={item.at} title={item.at}>
        {moment(item.at, zone)}
      </time>
      <ActorMark actor={item.actorKind === 'rule' ? 'machine' : 'human'} />
      <span className={item.actorKind === 'rule' ? 'machine' : 'human'}>
        {changeWords(item)}, by {item.actor}
        {item.runId === null ? null : (
          <>
            , <Door to={`/runs/${item.runId}`}>run {item.runId}</Door>
          </>
        )}
      </span>
    </>
  );
}

const MACHINE_WORDS: Record<string, string> = {
  marked: 'Marked as an automated address',
  cleared: 'Not taken for automated any more',
  person: 'Said to be read by a person',
};

/** One change of the journal in words. */
export function changeWords({ subject, before, after }: JournalItem): string {
  const [was, is] = [before ?? {}, after ?? {}] as {
    stage?: string;
    deliverability?: string;
    state?: string;
    list?: string;
    inEffect?: boolean;
    address?: string;
    archivedAt?: string | null;
    mergedInto?: number | null;
    tag?: string;
    verdict?: string;
    name?: string | null;
    attributes?: Record<string, unknown>;
  }[];
  if (subject === 'stage') return `${was!.stage ?? 'new'} to ${is!.stage}`;
  if (subject === 'deliverability') return `${was!.deliverability} to ${is!.deliverability}`;
  if (subject === 'entry' && was?.inEffect === true && is!.inEffect) return `Asked for again on ${is!.list}`;
  if (subject === 'entry') return is!.inEffect ? `Entered on ${is!.list}` : `Lifted from ${is!.list}`;
  if (subject === 'address') return `${was!.address} mended to ${is!.address}`;
  if (subject === 'archive')
    return is!.mergedInto ? 'Merged into another contact' : is!.archivedAt ? 'Archived' : 'Restored';
  if (subject === 'tag') return is!.tag === undefined ? `Tag ${was!.tag} taken off` : `Tagged ${is!.tag}`;
  if (subject === 'asking')
    return was!.list === undefined ? `Asked to confirm ${is!.list}` : `Not asked to confirm ${was!.list} any more`;
  if (subject === 'machine') return MACHINE_WORDS[is!.state ?? ''] ?? 'Not taken for automated any more';
  if (subject === 'details')
    return `Changed: ${[...('name' in is! ? ['name'] : []), ...Object.keys(is!.attributes ?? {})].join(', ')}`;
  if (subject === 'verdict')
    return is!.verdict === undefined ? `Verdict ${was!.verdict} taken back` : `Verified as ${is!.verdict}`;
  return `Subscription ${was!.state ?? 'none'} to ${is!.state ?? 'none'}`;
}
