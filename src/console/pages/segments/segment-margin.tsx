import { Button, TagsInput, Textarea, TextInput } from '@mantine/core';
import { useState } from 'react';
import { Link, useLocation, useNavigate } from 'react-router';
import { Refusal, refusalCode } from '../../../client/calls.ts';
import type { Explained, SegmentDetail } from '../../../shared/api-segments.ts';
import { client } from '../../api/client.ts';
import { useExplained } from '../../api/queries.ts';
import { useAct } from '../../api/use-act.ts';
import { useBrand } from '../../brand.tsx';
import { Door, ProblemNote, Section } from '../../components/page.tsx';
import { moment } from '../../components/words.ts';

/** Keeps the condition under a name, as a new segment or another version of one. */
export function KeepSegment({ segment, name: given, text }: { segment?: SegmentDetail; name: string; text: string }) {
  const brand = useBrand();
  const navigate = useNavigate();
  const { pathname } = useLocation();
  const [name, setName] = useState(given);
  const [reason, setReason] = useState('');
  const [tags, setTags] = useState(segment?.tags ?? []);
  // Who went elsewhere while it was being done stays there.
  const goOn = (to: string, replace: boolean): void => {
    if (window.location.pathname === pathname) void navigate(to, { replace });
  };
  const keep = useAct(async () => {
    const change = { name, condition: text, tags, reason };
    if (segment) return client.changeSegment(segment.id, change);
    const kept = await client.createSegment({ ...change, brandId: brand.id, reason: reason || undefined });
    goOn(`/segments/${kept.id}`, true);
    return kept;
  });
  const remove = useAct(async () => {
    await client.removeSegment(segment!.id);
    goOn('/segments', false);
  });
  const ready = name.trim() !== '' && text.trim() !== '' && (segment === undefined || reason.trim() !== '');
  return (
    <Section head="Keep it">
      <div className="stack">
        <TextInput label="Name" value={name} onChange={(event) => setName(event.currentTarget.value)} />
        <TagsInput label="Tags" description="Words to find it by; Enter after each." value={tags} onChange={setTags} />
        <Textarea label="Why" description="Kept with this version, with your name." value={reason} onChange={(event) => setReason(event.currentTarget.value)} autosize />
        <ProblemNote error={keep.error ?? remove.error} />
        <button type="button" className="main-button" disabled={!ready || keep.isPending} onClick={() => keep.mutate(undefined)}>Keep the segment</button>
        <span className="row">
          {segment ? <Button component={Link} to={`/segments/new?name=${encodeURIComponent(`${segment.name}, a copy`)}&condition=${encodeURIComponent(text)}`}>Copy</Button> : null}
          {segment ? <Button loading={remove.isPending} onClick={() => remove.mutate(undefined)}>Delete</Button> : null}
        </span>
        {segment ? <UsedBy segment={segment} /> : null}
      </div>
    </Section>
  ); // prettier-ignore
}

function UsedBy({ segment: { usedBy, campaigns } }: { segment: SegmentDetail }) {
  if (usedBy.length + campaigns.length === 0) return null;
  return (
    <p className="second">
      Used by{' '}
      {usedBy.map(({ id, name }) => <Door key={id} to={`/segments/${id}`}>{name} </Door>)}
      {campaigns.map(({ id, name }) => <Door key={id} to={`/campaigns/${id}`}>{name} </Door>)}
    </p>
  );
} // prettier-ignore

/** Any one address, with the explanation in words. */
export function TryAddress({ text }: { text: string }) {
  const brand = useBrand();
  const [typed, setTyped] = useState('');
  const [address, setAddress] = useState('');
  const explained = useExplained(brand.id, text, address);
  return (
    <Section head="Is a person in it?">
      <TextInput aria-label="Address to try" placeholder="an address, then Enter" value={typed} onChange={(event) => setTyped(event.currentTarget.value)} onKeyDown={(event) => event.key === 'Enter' && setAddress(typed.trim())} />
      {explained.error instanceof Refusal && refusalCode(explained.error.problem) === 'bad-condition' ? null : <ProblemNote error={explained.error} />}
      {explained.data ? <><p style={{ marginTop: 12 }}><strong>{explained.data.holds ? 'In' : 'Out'}</strong>: {explained.data.because}.</p><Why one={explained.data} /></> : null}
    </Section>
  ); // prettier-ignore
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
