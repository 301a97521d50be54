import { Button, Checkbox, SegmentedControl, TextInput } from '@mantine/core';
import { IconCheck, IconEye, IconX } from '@tabler/icons-react';
import { useEffect, useId, useRef, useState, type ReactNode } from 'react';
import { useParams } from 'react-router';
import { findingPlace, findingsHeadline, messageOf } from '../../../client/wording/findings.ts';
import type { Campaign } from '../../../shared/contract/campaigns.ts';
import type { Finding as Found, FoundPlace, TypedMessage } from '../../../shared/contract/messages.ts';
import { useCampaign } from '../../api/queries/campaigns.ts';
import { useCheck, useTypedPreview } from '../../api/queries/messages.ts';
import { useAct } from '../../api/use-act.ts';
import { usePaused } from '../../api/use-paused.ts';
import { useTyped, type Typed } from '../../api/use-typed.ts';
import { useBrand } from '../../brand.tsx';
import { OfAnotherBrand } from '../../components/of-another-brand.tsx';
import { Await, Door, Finding, Leaf, ProblemNote, Section } from '../../components/page.tsx';
import { TypedNote } from '../../components/typed-note.tsx';
import { count, moment, plural } from '../../components/words.ts';
import { HtmlEditor } from './html-editor.tsx';
import { SeenMessage, WAYS_TO_SEE, type WayToSee } from './seen-message.tsx';
import { TryOut } from './try-out.tsx';
import editorCss from './editor.module.css';
import css from './message.module.css';

/** What a campaign says: written, seen as somebody gets it, checked, and tried. */
export default function Message() {
  const id = Number(useParams()['id']);
  return (
    <Await of={useCampaign(id)}>
      {(campaign) => (
        <>
          <OfAnotherBrand brandId={campaign.brandId} what="campaign" />
          <Composer key={campaign.id} campaign={campaign} />
        </>
      )}
    </Await>
  );
}

/** The fields of a message that are written on this page. */
type Fields = Pick<TypedMessage, 'format' | 'subject' | 'previewLine' | 'html' | 'text' | 'countLinks'>;

const WORDS: Record<keyof Fields, string> = {
  format: 'Format',
  subject: 'Subject',
  previewLine: 'Shown after it',
  html: 'HTML',
  text: 'Plain text',
  countLinks: 'Links counted',
};

function Composer({ campaign }: { campaign: Campaign }) {
  const { zone, name } = useBrand();
  const { format, subject, previewLine, html, text, countLinks } = campaign;
  const kept: Fields = { format, subject, previewLine, html, text, countLinks };
  const form = useTyped(`message ${campaign.id}`, kept, campaign.version);
  const [typed] = usePaused<TypedMessage>({ ...messageOf(campaign), ...form.typed });
  const check = useCheck(campaign.id, typed);
  const [address, setAddress] = useState('');
  const [shown, setShown] = useState<FoundPlace>();
  const findings = check.data?.findings ?? [];
  const isDraft = campaign.state === 'draft';
  return (
    <>
      <Finding
        line={`${campaign.name}, ${campaign.state} for ${name}, kept ${moment(campaign.changedAt, zone)}`}
        headline={check.data ? findingsHeadline(findings) : 'What it says'}
      >
        {check.data ? <>It is for {plural(check.data.readers, 'reader', 'readers')}; </> : null}
        <Door to={`/campaigns/${campaign.id}`}>who of them gets it</Door>
        {isDraft ? '' : `. It is ${campaign.state}: only a draft can be changed`}.
      </Finding>
      <Leaf
        margin={
          <>
            <Section head="Check" beside="as you type">
              <Await of={check} rows={5}>
                {() => <Findings findings={findings} show={(place) => setShown({ ...place })} />}
              </Await>
            </Section>
            <TryOut typed={{ ...messageOf(campaign), ...form.typed }} address={address} />
          </>
        }
      >
        <Write campaign={campaign} form={form} findings={findings} fields={check.data?.fields ?? []} shown={shown}>
          <Seen campaign={campaign} typed={typed} address={address} setAddress={setAddress} />
        </Write>
      </Leaf>
    </>
  );
}

const SIGNS = {
  stops: <IconX size={16} color="var(--av-stop-mark)" aria-label="stands in the way" />,
  look: <IconEye size={16} color="var(--av-look-mark)" aria-label="worth a look" />,
  fine: <IconCheck size={16} aria-label="as it should be" />,
};

function Findings({ findings, show }: { findings: readonly Found[]; show: (place: FoundPlace) => void }) {
  return (
    <ul className={`bare ${css.findings}`}>
      {findings.map((one, index) => (
        <li key={index}>
          {SIGNS[one.weight]}
          <span>
            {one.title}
            <span className="second" style={{ display: 'block' }}>
              {[findingPlace(one), one.advice].filter(Boolean).join(': ')}{' '}
              {one.place && one.place.field !== 'statement' ? (
                <Door onClick={() => show(one.place!)} label={`Show where: ${one.title}`}>
                  Show
                </Door>
              ) : null}
            </span>
          </span>
        </li>
      ))}
    </ul>
  );
}

interface WriteProps {
  campaign: Campaign;
  form: Typed<Fields>;
  findings: readonly Found[];
  fields: readonly string[];
  shown: FoundPlace | undefined;
  children: ReactNode;
}

function Write({ campaign, form, findings, fields, shown, children }: WriteProps) {
  const { typed, set } = form;
  const save = useAct((client, _: void) => client.changeCampaign({ id: campaign.id, ...typed, version: form.version }));
  const isText = typed.format === 'text';
  const placeIn = (field: FoundPlace['field']): FoundPlace | undefined => (shown?.field === field ? shown : undefined);
  const of = (field: 'html' | 'text'): Found[] => findings.filter(({ place }) => place?.field === field);
  const body = { typed, set, fields };
  const plain = <TextBody {...body} shown={placeIn('text')} findings={of('text')} />;
  return (
    <form
      onSubmit={(event) => {
        event.preventDefault();
        save.mutate(undefined, { onSuccess: ({ version }) => form.wasKept(version) });
      }}
    >
      <Section
        head="Message"
        beside={
          <SegmentedControl
            size="xs"
            color="var(--av-ink)"
            data={[
              { value: 'html', label: 'HTML and text' },
              { value: 'text', label: 'text alone' },
            ]}
            value={typed.format}
            onChange={(value) => set({ format: value })}
            aria-label="What it is made of"
          />
        }
      >
        <div className="stack" style={{ gap: 16 }}>
          {save.isPending ? null : (
            <TypedNote
              form={form}
              words={WORDS}
              show={(value) => <span className={editorCss.someOfIt}>{String(value)}</span>}
            />
          )}
          <Line
            shown={placeIn('subject')}
            label="Subject"
            value={typed.subject}
            onChange={(value) => set({ subject: value })}
          />
          {isText ? null : (
            <Line
              shown={placeIn('previewLine')}
              label="Shown after it in the list of messages"
              value={typed.previewLine}
              onChange={(value) => set({ previewLine: value })}
            />
          )}
          <div className={css.bodies}>
            <div className="stack">
              {isText ? plain : <HtmlBody {...body} shown={placeIn('html')} findings={of('html')} />}
            </div>
            {children}
          </div>
          {isText ? null : <div className="stack">{plain}</div>}
          <ProblemNote error={form.meanwhile ? null : save.error} />
          <div className="row">
            <Button type="submit" loading={save.isPending} disabled={!form.isChanged || campaign.state !== 'draft'}>
              Keep the message
            </Button>
            <Button disabled={!form.isChanged} onClick={form.leaveMine}>
              Back to what is kept
            </Button>
            <span className="second" role="status">
              {form.isChanged ? 'Not kept yet.' : 'Kept.'}
            </span>
          </div>
        </div>
      </Section>
    </form>
  );
}

interface LineProps {
  shown: FoundPlace | undefined;
  label: string;
  value: string;
  onChange: (value: string) => void;
}

function Line({ shown, label, value, onChange }: LineProps) {
  const id = useId();
  const input = useRef<HTMLInputElement>(null);
  useEffect(() => {
    if (shown) input.current?.focus();
  }, [shown]);
  return (
    <div>
      <div className={css.head}>
        <label htmlFor={id}>{label}</label>
        <span className="second">{plural([...value].length, 'character', 'characters')}</span>
      </div>
      <TextInput ref={input} id={id} value={value} onChange={(event) => onChange(event.currentTarget.value)} />
    </div>
  );
}

interface BodyProps {
  typed: Fields;
  set: (change: Partial<Fields>) => void;
  fields: readonly string[];
  findings: readonly Found[];
  shown: FoundPlace | undefined;
}

function HtmlBody({ typed, set, fields, findings, shown }: BodyProps) {
  return (
    <>
      <div className={css.head}>
        <strong>HTML</strong>
        <span className="second">{plural(typed.html.split('\n').length, 'line', 'lines')}</span>
      </div>
      <HtmlEditor
        shown={shown}
        label="HTML"
        value={typed.html}
        onChange={(value) => set({ html: value })}
        fields={fields}
        findings={findings}
      />
      <span className="second">[[ offers the fields: {fields.join(', ')}</span>
    </>
  );
}

function TextBody({ typed, set, fields, findings, shown }: BodyProps) {
  const isText = typed.format === 'text';
  return (
    <>
      <div className={css.head}>
        <strong>Plain text</strong>
        <span className="second">{isText ? '' : 'left empty, it is made from the HTML'}</span>
      </div>
      <HtmlEditor
        shown={shown}
        plain
        label="Plain text"
        value={typed.text}
        onChange={(value) => set({ text: value })}
        fields={fields}
        findings={findings}
      />
      {isText ? (
        <Checkbox
          label="Count who follows its links"
          description="They then lead through Avendel. Plain text has no pixel: nobody knows who opened it."
          checked={typed.countLinks}
          onChange={(event) => set({ countLinks: event.currentTarget.checked })}
        />
      ) : null}
    </>
  );
}

interface SeenProps {
  campaign: Campaign;
  typed: TypedMessage;
  address: string;
  setAddress: (address: string) => void;
}

/** The message as one contact gets it, drawn in one of several ways. */
function Seen({ campaign, typed, address, setAddress }: SeenProps) {
  const [way, setWay] = useState<WayToSee>('wide');
  const [asked, setAsked] = useState('');
  const preview = useTypedPreview(campaign.id, typed, address === '' ? undefined : address);
  const ways = typed.format === 'text' ? (['text'] as const) : WAYS_TO_SEE;
  return (
    <div className="stack">
      <div className={css.head}>
        <strong>As {address === '' ? 'somebody without a name' : address} gets it</strong>
      </div>
      {preview.isError ? <ProblemNote error={preview.error} /> : null}
      {preview.data && !preview.isError ? <SeenMessage message={preview.data.message} way={way} /> : null}
      <SegmentedControl
        size="xs"
        color="var(--av-ink)"
        data={[...ways]}
        value={typed.format === 'text' ? 'text' : way}
        onChange={(value) => setWay(value)}
        aria-label="How it is looked at"
        style={{ alignSelf: 'start' }}
      />
      <TextInput
        size="xs"
        label="As another contact gets it"
        placeholder="an address, then Enter"
        value={asked}
        onChange={(event) => setAsked(event.currentTarget.value)}
        onKeyDown={(event) => {
          if (event.key !== 'Enter') return;
          event.preventDefault();
          setAddress(asked.trim());
        }}
      />
      <span className="second">
        {preview.data
          ? `${count(preview.data.links.length)} counted ${preview.data.links.length === 1 ? 'link' : 'links'}`
          : ''}
        {typed.format === 'text' ? '' : ', a pixel and a trap link'}; the way out is in its text and its header.
      </span>
    </div>
  );
}
