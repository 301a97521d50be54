import { Button, NumberInput, Select, Textarea, TextInput } from '@mantine/core';
import type { Campaign, CampaignPace, SendWindow, WavePlan } from '../../../shared/contract/campaigns.ts';
import { useLists } from '../../api/queries/organisation.ts';
import { useSegments } from '../../api/queries/segments.ts';
import { useAct } from '../../api/use-act.ts';
import { useTyped } from '../../api/use-typed.ts';
import { ProblemNote, Section } from '../../components/page.tsx';
import { TypedNote } from '../../components/typed-note.tsx';
import { waveWords } from '../../../shared/waves.ts';
import { windowWords } from '../../../client/wording/window.ts';
import { paceLines } from '../../../client/wording/sending-pace.ts';
import { PaceFields } from './pace-fields.tsx';
import { TimeFields } from './time-fields.tsx';
import { AudienceFields } from './audience-fields.tsx';
import css from './editor.module.css';

/** Where what is typed into a draft and not kept is found again. */
export const placeOfDraft = (id: number): string => `draft ${id}`;

const WORDS = {
  name: 'Name',
  purpose: 'Purpose',
  statement: 'Why each has to get it',
  listIds: 'Lists taken in',
  segmentIds: 'Segments taken in',
  leftOutListIds: 'Lists left out',
  leftOutSegmentIds: 'Segments left out',
  restDays: 'Days of rest',
  priority: 'Priority',
  sendWindow: 'Hours',
  waves: 'Parts',
  pace: 'Pace',
} as const;

/**
 * The draft's name, purpose, audience and times. What was typed stays when the service refuses it, and when the page is
 * left.
 */
export function Editor({ campaign, onDone }: { campaign: Campaign; onDone: () => void }) {
  const { name, purpose, statement, listIds, segmentIds, leftOutListIds, leftOutSegmentIds, version } = campaign;
  const { restDays, priority, sendWindow, waves, pace } = campaign;
  const form = useTyped(
    placeOfDraft(campaign.id),
    {
      name,
      purpose,
      statement,
      listIds,
      segmentIds,
      leftOutListIds,
      leftOutSegmentIds,
      restDays,
      priority,
      sendWindow,
      waves,
      pace,
    },
    version,
  );
  const draft = form.typed;
  const save = useAct((client, _: void) => client.changeCampaign({ id: campaign.id, ...draft, version: form.version }));
  const names = useNames(campaign.brandId);
  const keep = (): void => save.mutate(undefined, { onSuccess: ({ version: kept }) => (form.wasKept(kept), onDone()) });
  return (
    <div style={{ marginTop: 24 }}>
      <Section head="Edit the draft">
        <form
          className="stack"
          style={{ maxWidth: 860 }}
          onSubmit={(event) => {
            event.preventDefault();
            keep();
          }}
        >
          {save.isPending ? null : (
            <TypedNote
              form={form}
              words={WORDS}
              show={(value, field) => <span className={css.someOfIt}>{show(field, value, names)}</span>}
            />
          )}
          <TextInput
            label="Name"
            required
            value={draft.name}
            onChange={(event) => form.set({ name: event.currentTarget.value })}
          />
          <Purpose purpose={draft.purpose} statement={draft.statement} change={form.set} />
          <AudienceFields brandId={campaign.brandId} audience={draft} change={form.set} />
          <HowOften restDays={draft.restDays} priority={draft.priority} change={form.set} />
          <TimeFields sendWindow={draft.sendWindow} waves={draft.waves} change={form.set} />
          <PaceFields pace={draft.pace} change={(changed) => form.set({ pace: changed })} />
          <ProblemNote error={form.meanwhile ? null : save.error} />
          <div className="row">
            <Button type="submit" loading={save.isPending}>
              Save the draft
            </Button>
            <Button
              onClick={() => {
                form.leaveMine();
                onDone();
              }}
            >
              Close without saving
            </Button>
          </div>
        </form>
      </Section>
    </div>
  );
}

/** A field of the draft in words. */
function show(
  field: string,
  value: string | number | number[] | WavePlan[] | SendWindow | CampaignPace | null,
  names: (field: string, ids: number[]) => string,
): string {
  if (field === 'waves')
    return value === null ? 'one' : (value as WavePlan[]).map(({ of }) => waveWords(of)).join(', ');
  if (field === 'pace') return paceLines(value as CampaignPace | null).join('; ') || 'as the relay takes it';
  if (field === 'sendWindow') return value === null ? 'any' : windowWords(value as SendWindow);
  return Array.isArray(value)
    ? names(field, value as number[])
    : value === null
      ? 'none'
      : `${value as string | number}`;
}

/** How it stands beside other messages to the same people. */
function HowOften({
  restDays,
  priority,
  change,
}: Pick<Campaign, 'restDays' | 'priority'> & {
  change: (of: Partial<Pick<Campaign, 'restDays' | 'priority'>>) => void;
}) {
  return (
    <span className="row">
      <NumberInput
        label="Not to whoever had a message in the last … days"
        description="Left empty: whoever the caps let through."
        min={1}
        max={366}
        value={restDays ?? ''}
        onChange={(value) => change({ restDays: value === '' ? null : Number(value) })}
        w={360}
      />
      <Select
        label="Priority"
        description="Of two that compete for one last place the lower gets it."
        data={['1', '2', '3', '4', '5']}
        value={String(priority)}
        onChange={(value) => change({ priority: Number(value ?? 3) })}
        allowDeselect={false}
        w={360}
      />
    </span>
  );
}

/** For what it is sent; a service message says why each recipient has to get it. */
function Purpose({
  purpose,
  statement,
  change,
}: Pick<Campaign, 'purpose' | 'statement'> & {
  change: (of: Partial<Pick<Campaign, 'purpose' | 'statement'>>) => void;
}) {
  return (
    <>
      <Select
        label="Purpose"
        description="Service: receipts, notices, what each recipient has to get; also who opted out, complained or is at sunset gets it. Nothing that advertises."
        data={[
          { value: 'marketing', label: 'marketing' },
          { value: 'service', label: 'service' },
        ]}
        value={purpose}
        onChange={(value) => change({ purpose: value ?? 'marketing' })}
        allowDeselect={false}
        maw={360}
      />
      {purpose === 'service' ? (
        <Textarea
          label="Why each recipient has to get it"
          description="A sentence at least. It stays with the campaign."
          value={statement}
          onChange={(event) => change({ statement: event.currentTarget.value })}
          autosize
          minRows={2}
        />
      ) : null}
    </>
  );
}

/** Lists and segments by their names. */
function useNames(brandId: number): (field: string, ids: number[]) => string {
  const lists = useLists().data ?? [];
  const segments = useSegments(brandId).data ?? [];
  return (field, ids) => {
    const all: { id: number; name: string }[] = /list/i.test(field) ? lists : segments;
    return ids.length === 0 ? 'none' : ids.map((id) => all.find((one) => one.id === id)?.name ?? `${id}`).join(', ');
  };
}
