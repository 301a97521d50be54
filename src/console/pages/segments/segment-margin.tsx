import { Button, TagsInput, TextInput } from '@mantine/core';
import { useEffect, useRef, useState, type Ref } from 'react';
import { Link, useHref, useLocation, useNavigate } from 'react-router';
import { Refusal, refusalCode } from '../../../client/send.ts';
import type { Explained } from '../../../shared/contract/conditions.ts';
import type { SegmentDetail } from '../../../shared/contract/segments.ts';
import { client } from '../../api/client.ts';
import { useExplained } from '../../api/queries/conditions.ts';
import { useAct } from '../../api/use-act.ts';
import type { Typed } from '../../api/use-typed.ts';
import { useBrand } from '../../brand.tsx';
import { Door, ProblemNote, Section } from '../../components/page.tsx';
import { SureButton } from '../../components/sure-button.tsx';
import { moment } from '../../components/words.ts';
import { LongField } from '../../components/long-field.tsx';

/** What is typed of a segment. */
export interface SegmentFields {
  name: string;
  condition: string;
  tags: string[];
  reason: string;
}

interface KeepProps {
  segment?: SegmentDetail;
  form: Typed<SegmentFields>;
  /** The field that is to be filled to keep it. */
  first: Ref<HTMLElement>;
}

/** Keeps what is typed, as a new segment or another version of one, or deletes the segment; then goes on from there. */
function useKeeping(segment: SegmentDetail | undefined, form: Typed<SegmentFields>) {
  const brand = useBrand();
  const navigate = useNavigate();
  const here = useHref(useLocation().pathname);
  const { typed } = form;
  // Who went elsewhere while it was being done stays there.
  const goOn = (to: string, replace: boolean): void => {
    if (window.location.pathname === here) void navigate(to, { replace });
  };
  const keep = useAct((client, _: void) =>
    segment
      ? client.changeSegment({ id: segment.id, ...typed, version: form.version })
      : client.createSegment({ ...typed, brandId: brand.id, reason: typed.reason || undefined }),
  );
  const submit = (): void =>
    keep.mutate(undefined, {
      onSuccess({ id, version }) {
        if (segment) return form.wasKept(version, { reason: '' });
        form.forget();
        goOn(`/segments/${id}`, true);
      },
    });
  const remove = useAct(async () => {
    await client.removeSegment({ id: segment!.id });
    goOn('/segments', false);
  });
  return { keep, submit, remove };
}

/** Keeps the condition under a name, as a new segment or another version of one. */
export function KeepSegment({ segment, form, first }: KeepProps) {
  const said = useRef<HTMLParagraphElement>(null);
  const { typed, set } = form;
  const { name, condition, tags, reason } = typed;
  const { keep, submit, remove } = useKeeping(segment, form);
  useEffect(() => {
    if (keep.isSuccess) said.current?.focus();
  }, [keep.isSuccess]);
  const ready = name.trim() !== '' && condition.trim() !== '' && (segment === undefined || reason.trim() !== '');
  return (
    <Section head="Keep it">
      <form
        className="stack"
        onSubmit={(event) => {
          event.preventDefault();
          if (ready) submit();
        }}
      >
        <TextInput
          label="Name"
          ref={segment ? undefined : (first as Ref<HTMLInputElement>)}
          value={name}
          onChange={(event) => set({ name: event.currentTarget.value })}
        />
        <TagsInput
          label="Tags"
          description="Words to find it by; Enter after each."
          value={tags}
          onChange={(given) => set({ tags: given })}
        />
        <LongField
          label="Why"
          description="Kept with this version, with your name."
          ref={segment ? (first as Ref<HTMLTextAreaElement>) : undefined}
          value={reason}
          change={(reason) => set({ reason })}
        />
        <ProblemNote error={form.meanwhile ? null : (keep.error ?? remove.error)} />
        {segment && keep.isSuccess && !form.isChanged ? (
          <p ref={said} tabIndex={-1} role="status">
            Kept as version {segment.version}.
          </p>
        ) : null}
        <button type="submit" className="main-button" disabled={!ready || keep.isPending}>
          Keep the segment
        </button>
        {segment ? (
          <>
            <CopyOrDelete name={segment.name} condition={condition} remove={() => remove.mutate(undefined)} />
            <UsedBy segment={segment} />
          </>
        ) : null}
      </form>
    </Section>
  );
}

function CopyOrDelete({ name, condition, remove }: { name: string; condition: string; remove: () => void }) {
  const copy = new URLSearchParams({ name: `${name}, a copy`, condition });
  return (
    <span className="row">
      <Button component={Link} to={`/segments/new?${copy}`}>
        Copy
      </Button>
      <SureButton ask={`Delete ${name}`} sure={`Yes, delete ${name}`} act={remove}>
        Delete
      </SureButton>
    </span>
  );
}

function UsedBy({ segment: { usedBy, campaigns } }: { segment: SegmentDetail }) {
  if (usedBy.length + campaigns.length === 0) return null;
  return (
    <p className="second">
      Used by{' '}
      {usedBy.map(({ id, name }) => (
        <Door key={id} to={`/segments/${id}`}>
          {name}{' '}
        </Door>
      ))}
      {campaigns.map(({ id, name }) => (
        <Door key={id} to={`/campaigns/${id}`}>
          {name}{' '}
        </Door>
      ))}
    </p>
  );
}

/** Any one address, with the explanation in words. */
export function TryAddress({ text }: { text: string }) {
  const brand = useBrand();
  const [typed, setTyped] = useState('');
  const [address, setAddress] = useState('');
  const explained = useExplained(brand.id, text, address);
  return (
    <Section head="Is a person in it?">
      <TextInput
        aria-label="Address to try"
        placeholder="an address, then Enter"
        value={typed}
        onChange={(event) => setTyped(event.currentTarget.value)}
        onKeyDown={(event) => event.key === 'Enter' && setAddress(typed.trim())}
      />
      {explained.error instanceof Refusal && refusalCode(explained.error.problem) === 'bad-condition' ? null : (
        <ProblemNote error={explained.error} />
      )}
      {explained.data ? (
        <>
          <p style={{ marginTop: 12 }}>
            <strong>{explained.data.holds ? 'In' : 'Out'}</strong>: {explained.data.because}.
          </p>
          <Why one={explained.data} />
        </>
      ) : null}
    </Section>
  );
}

function Why({ one }: { one: Explained }) {
  return (
    <ul style={{ listStyle: 'none', paddingLeft: 14, margin: 0 }}>
      {one.parts.map((part, index) => (
        <li key={`${index} ${part.text}`}>
          {part.holds ? '✓' : '✗'} {part.text}
          <span className="second"> {part.parts.length > 0 ? '' : part.because}</span>
          {part.parts.length > 0 ? <Why one={part} /> : null}
        </li>
      ))}
    </ul>
  );
}

export function Versions({ segment }: { segment: SegmentDetail }) {
  const { zone } = useBrand();
  return (
    <Section head="Versions">
      {segment.versions.map((one) => (
        <p key={one.version}>
          {one.version}, {moment(one.changedAt, zone)} by {one.changedBy}
          <span className="second"> {one.reason}</span>
        </p>
      ))}
    </Section>
  );
}
