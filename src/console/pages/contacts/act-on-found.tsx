import { Button, Select, TextInput } from '@mantine/core';
import { useState } from 'react';
import type { ActSelection } from '../../../shared/contract/acts.ts';
import { client } from '../../api/client.ts';
import { useActPreview } from '../../api/queries/acts.ts';
import { useLists } from '../../api/queries/organisation.ts';
import { useSuppressionLists } from '../../api/queries/suppression.ts';
import { useBrand } from '../../brand.tsx';
import { FourSteps } from '../../components/four-steps.tsx';
import { Await, Section } from '../../components/page.tsx';
import { count, plural } from '../../components/words.ts';

type Act = ActSelection['act'];

const ACTS: Record<Act, { label: string; button: string; change: string }> = {
  tag: { label: 'Tag them', button: 'Tag', change: 'They get the tag. Nothing else changes.' },
  untag: { label: 'Take a tag off', button: 'Untag', change: 'They lose the tag. Nothing else changes.' },
  suppress: {
    label: 'Put them on a suppression list',
    button: 'Suppress',
    change: 'Every campaign in the list’s scope leaves them out from now on, those under way too.',
  },
  unsubscribe: {
    label: 'Unsubscribe them',
    button: 'Unsubscribe',
    change: 'They leave every list of this brand, and only they themselves can come back.',
  },
  subscribe: {
    label: 'Subscribe them',
    button: 'Subscribe',
    change:
      'They join the list. Whoever left it, opted out or complained is not among them. Say in the reason what the permission is.',
  },
  ask: {
    label: 'Ask who waits to confirm',
    button: 'Ask',
    change:
      'Who waits on the list and was never asked gets its confirmation message now, reminders as everybody, and is let go when they do not confirm. Undoing ends the waiting of who has not confirmed; messages that have left stay out.',
  },
  archive: {
    label: 'Archive them',
    button: 'Archive',
    change: 'They are kept, with everything known of them. No campaign reaches them, and they count no more.',
  },
  restore: {
    label: 'Restore them',
    button: 'Restore',
    change: 'They count again, as they were before they were archived.',
  },
  erase: {
    label: 'Erase them',
    button: 'Erase',
    change:
      'Name, address and everything they said go from every table and kept file. A digest of each address stays, so that no import and no form brings them back. This cannot be undone.',
  },
};

/** What an act has to know besides whom. */
type Needs = Pick<ActSelection, 'tag' | 'listId' | 'suppressionListId'>;

/** The field in which what an act has to know is said. */
function ActFields({ act, needs, need }: { act: Act | null; needs: Needs; need: (needs: Needs) => void }) {
  const brand = useBrand();
  const lists = useLists();
  const suppressionLists = useSuppressionLists();
  return (
    <>
      {act === 'tag' || act === 'untag' ? (
        <TextInput
          aria-label="The tag"
          placeholder="the tag"
          value={needs.tag ?? ''}
          onChange={(event) => need({ tag: event.currentTarget.value })}
          w={180}
        />
      ) : null}
      {act === 'suppress' ? (
        <Select
          aria-label="Suppression list"
          placeholder="which list"
          data={(suppressionLists.data ?? [])
            .filter((list) => !list.builtIn)
            .map((list) => ({ value: String(list.id), label: list.name }))}
          onChange={(value) => need({ suppressionListId: Number(value) })}
          w={220}
        />
      ) : null}
      {act === 'subscribe' || act === 'ask' ? (
        <Select
          aria-label={act === 'ask' ? 'List they wait on' : 'List to join'}
          placeholder="which list"
          data={(lists.data ?? [])
            .filter((list) => list.brandId === brand.id)
            .map((list) => ({ value: String(list.id), label: list.name }))}
          onChange={(value) => need({ listId: Number(value) })}
          w={220}
        />
      ) : null}
    </>
  );
}

/** One act on those who were picked, or on everybody who was found, through the four steps. */
export function ActOnFound({
  who,
  total,
  all = false,
}: {
  who: Pick<ActSelection, 'filter' | 'addresses' | 'reconciled'>;
  total: number;
  all?: boolean;
}) {
  const brand = useBrand();
  const [act, setAct] = useState<Act | null>(null);
  const [needs, setNeeds] = useState<Needs>({});
  const [counted, setCounted] = useState<ActSelection | null>(null);
  const choose = (chosen: Act | null): void => {
    setAct(chosen);
    setNeeds({});
    setCounted(null);
  };
  const need = (given: Needs): void => {
    setNeeds(given);
    setCounted(null);
  };
  const complete = act !== null && isComplete(act, needs);
  return (
    <Section
      head={`Do something with ${total === 1 ? 'this contact' : `${all ? 'all ' : 'the '}${plural(total, 'contact', 'contacts')}${all ? '' : ' you picked'}`}`}
    >
      <div className="row">
        <Select
          aria-label="What to do"
          placeholder="choose what to do"
          clearable
          data={Object.entries(ACTS).map(([value, { label }]) => ({ value, label }))}
          value={act}
          onChange={(value) => choose(value as Act | null)}
          w={260}
        />
        <ActFields act={act} needs={needs} need={need} />
        {complete && counted === null ? (
          <Button
            onClick={() =>
              setCounted({ act, ...who, ...needs, ...(act === 'unsubscribe' ? { brandId: brand.id } : {}) })
            }
          >
            Count whom it would change
          </Button>
        ) : null}
      </div>
      {counted === null ? null : (
        <div style={{ maxWidth: 520, marginTop: 16 }}>
          <ActSteps selection={counted} />
        </div>
      )}
    </Section>
  );
}

function isComplete(act: Act, needs: { tag?: string; listId?: number; suppressionListId?: number }): boolean {
  if (act === 'tag' || act === 'untag') return (needs.tag ?? '').trim() !== '';
  if (act === 'suppress') return needs.suppressionListId !== undefined;
  return (act !== 'subscribe' && act !== 'ask') || needs.listId !== undefined;
}

/** The four steps of an act: how many and who, what it changes, why, and the run. */
export function ActSteps({ selection, after }: { selection: ActSelection; after?: () => void }) {
  const { button, change } = ACTS[selection.act];
  const final = selection.act === 'erase';
  return (
    <Await of={useActPreview(selection)} rows={2}>
      {(preview) => (
        <FourSteps
          expected={preview.willChange}
          what={button}
          final={final}
          mailable={preview.stillMailable.contacts}
          change={final ? change : `${change} The run can be undone.`}
          apply={async (expect, reason) => {
            const run = await client.applyAct({
              ...selection,
              expect,
              expectMailable: preview.stillMailable.contacts,
              reason,
            });
            after?.();
            return run;
          }}
        >
          <p>
            {plural(preview.willChange, 'contact', 'contacts')} would change
            {preview.already > 0 ? `; ${plural(preview.already, 'stays as it is', 'stay as they are')}` : ''}.
          </p>
          {preview.stillMailable.contacts > 0 ? (
            <p>
              <strong>
                {plural(preview.stillMailable.contacts, 'of them may', 'of them may')} still be written to
              </strong>
              :{' '}
              {preview.stillMailable.brands
                .map(({ brandName, contacts }) => `${count(contacts)} by ${brandName}`)
                .join(', ')}
              .
            </p>
          ) : null}
          <p className="second">
            {preview.sample.map((one) => one.address).join(', ')}
            {preview.willChange > preview.sample.length ? ' …' : ''}
          </p>
        </FourSteps>
      )}
    </Await>
  );
}
