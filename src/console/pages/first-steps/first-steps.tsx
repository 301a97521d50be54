import type { ListCount } from '../../../shared/contract/organisation.ts';
import { useCampaigns } from '../../api/queries/campaigns.ts';
import { useListCounts, useLists } from '../../api/queries/organisation.ts';
import { useRelay } from '../../api/queries/relay.ts';
import { useBrand } from '../../brand.tsx';
import { Door, Section } from '../../components/page.tsx';
import { day, plural, waitingWords } from '../../components/words.ts';
import { relayWords } from '../../../client/wording/relay.ts';
import { ListForm } from '../settings/list-form.tsx';
import { AskRelay, SendTest } from './relay-steps.tsx';
import { StepList, type Step } from './step-list.tsx';

/**
 * What a brand that has sent nothing yet needs before it can: what is done, and the next; null once it has. Undefined
 * until that is known, so that nobody reads that all is in order where nothing has begun.
 */
export function useFirstSteps(): Step[] | null | undefined {
  const brand = useBrand();
  const asked = [useLists(), useListCounts(), useCampaigns({ brandId: brand.id, limit: 1 })] as const;
  const lists = asked[0].data?.filter(({ brandId }) => brandId === brand.id);
  const counts = asked[1].data;
  const isOpen = lists !== undefined && counts !== undefined && asked[2].data?.items.length === 0;
  const relay = useRelay(brand.id, isOpen).data;
  if (asked.some(({ isPending }) => isPending)) return undefined;
  if (!isOpen) return null;
  const ofBrand = counts.filter(({ listId }) => lists.some(({ id }) => id === listId));
  const [subscribed, pending] = [sum(ofBrand, 'subscribed'), sum(ofBrand, 'pending')];
  return [
    { done: true, words: `${brand.name} sends as ${brand.fromAddress}` },
    {
      done: lists.length > 0,
      words:
        lists.length > 0
          ? plural(lists.length, 'list', 'lists')
          : 'Make a list: contacts are on lists, and campaigns go to them',
      here: <ListForm brandId={brand.id} />,
    },
    {
      done: relay?.answers ?? false,
      words: relay?.answers ? relayWords(relay) : 'See that the relay answers, to which messages are handed',
      here: <AskRelay />,
    },
    {
      done: subscribed + pending > 0,
      words:
        subscribed + pending > 0 ? (
          <>
            {subscribed > 0 ? `${plural(subscribed, 'person is', 'people are')} on them` : null}
            {subscribed > 0 && pending > 0 ? '; ' : null}
            {pending > 0 ? <Door to="/contacts/waiting">{waitingWords(pending)}</Door> : null}
          </>
        ) : (
          'Take contacts in from a file, or put up the form that they sign up with'
        ),
      door: { to: '/contacts/import', words: 'Import a file' },
    },
    {
      done: brand.testedAt !== null,
      words: brand.testedAt
        ? `The relay took a test message on ${day(brand.testedAt, brand.zone)}`
        : 'Send yourself a test message',
      here: <SendTest />,
    },
  ];
}

const sum = (counts: ListCount[], of: 'subscribed' | 'pending'): number =>
  counts.reduce((total, one) => total + one[of], 0);

/** `1 of 5 first steps is done`, and of none that is open nothing. */
export function firstStepsWords(steps: Step[] | null): string | undefined {
  const done = steps?.filter((step) => step.done).length;
  if (!steps || done === steps.length) return undefined;
  return `${done} of ${steps.length} first steps ${done === 1 ? 'is' : 'are'} done`;
}

export function FirstSteps({ steps }: { steps: Step[] }) {
  return (
    <Section head={`First steps of ${useBrand().name}`}>
      <StepList steps={steps} />
      <p className="second">
        Then write a campaign; nothing leaves before you say so. <Door to="/campaigns">Campaigns</Door>
      </p>
    </Section>
  );
}
