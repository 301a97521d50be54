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
  subject: 'Subject',
  listIds: 'Lists taken in',
  segmentIds: 'Segments taken in',
  leftOutListIds: 'Lists left out',
  leftOutSegmentIds: 'Segments left out',
  restDays: 'Days of rest',
  priority: 'Priority',
  sendWindow: 'Hours',
  waves: 'Parts',
  pace: 'Pace',
  html: 'HTML body',
  text: 'Plain-text body',
} as const;

/**
 * The draft's name, audience and message. What was typed stays when the service refuses it, and when the page is left.
 */
export function Editor({ campaign, onDone }: { campaign: Campaign; onDone: () => void }) {
  const { name, subject, html, text, listIds, segmentIds, leftOutListIds, leftOutSegmentIds, version } = campaign;
  const { restDays, priority, sendWindow, waves, pace } = campaign;
  const form = useTyped(
    placeOfDraft(campaign.id),
    {
      name,
      subject,
      html,
      text,
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
  const set = (field: 'name' | 'subject' | 'html' | 'text') => (event: Parameters<Change>[0]) =>
    form.set({ [field]: event.currentTarget.value });
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
          <TextInput label="Name" required value={draft.name} onChange={set('name')} />
          <TextInput
            label="Subject"
            value={draft.subject}
            onChange={set('subject')}
            description='A merge field says what to write when it is empty: [[first_name else "stargazer"]]'
          />
          <AudienceFields brandId={campaign.brandId} audience={draft} change={form.set} />
          <HowOften restDays={draft.restDays} priority={draft.priority} change={form.set} />
          <TimeFields sendWindow={draft.sendWindow} waves={draft.waves} change={form.set} />
          <PaceFields pace={draft.pace} change={(changed) => form.set({ pace: changed })} />
          <Bodies html={draft.html} text={draft.text} set={set} />
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

type Change = (event: { currentTarget: { value: string } }) => void;

function Bodies({ html, text, set }: { html: string; text: string; set: (field: 'html' | 'text') => Change }) {
  return (
    <>
      <Textarea
        label="HTML body"
        value={html}
        onChange={set('html')}
        autosize
        minRows={8}
        maxRows={20}
        styles={{ input: { fontFamily: 'var(--mantine-font-family-monospace)', fontSize: 13.5 } }}
      />
      <Textarea
        label="Plain-text body"
        description="Made from the HTML if it is left empty."
        value={text}
        onChange={set('text')}
        autosize
        minRows={3}
        maxRows={12}
      />
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
