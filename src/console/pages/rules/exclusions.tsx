import { Button, SegmentedControl, Select, TextInput } from '@mantine/core';
import { useState } from 'react';
import type { Exclusion, NewExclusion } from '../../../shared/contract/exclusions.ts';
import { useExclusionPreview, useExclusions } from '../../api/queries/caps.ts';
import { useLists } from '../../api/queries/organisation.ts';
import { useSegments } from '../../api/queries/segments.ts';
import { useAct } from '../../api/use-act.ts';
import { useBrand } from '../../brand.tsx';
import { DoOrNot, FormEnd, SheetForm } from '../../components/form.tsx';
import { Await, ProblemNote, Section } from '../../components/page.tsx';
import { Rows } from '../../components/rows.tsx';
import { count, day, percent } from '../../components/words.ts';

/** Whom every marketing campaign of the brand leaves out, said once. */
export function Exclusions() {
  const brand = useBrand();
  const [adding, setAdding] = useState(false);
  const [ending, setEnding] = useState<Exclusion | null>(null);
  return (
    <Section
      head="Always left out"
      beside={adding ? undefined : <Button onClick={() => setAdding(true)}>Leave somebody out</Button>}
    >
      <p className="second">
        Every marketing campaign leaves them out, each with a line of its own in the preflight. A campaign can set one
        aside by name and with a reason; suppression itself never.
      </p>
      {adding ? <NewOne done={() => setAdding(false)} /> : null}
      {ending ? <EndOne key={ending.id} one={ending} done={() => setEnding(null)} /> : null}
      <Await of={useExclusions(brand.id)} rows={2}>
        {(all) =>
          all.length === 0 ? (
            <p className="second">Nobody beyond what suppression stops.</p>
          ) : (
            <Rows
              heads={
                <>
                  <th>Standing exclusion</th>
                  <th>Leaves out</th>
                  <th>Because</th>
                  <th>Since</th>
                  <th />
                </>
              }
            >
              {all.map((one) => (
                <tr key={one.id}>
                  <td>
                    {one.name}
                    {one.brandId === null ? <span className="second">, all brands</span> : null}
                  </td>
                  <td>
                    <Whom one={one} />
                  </td>
                  <td className="second">{one.reason}</td>
                  <td className="second">
                    {day(one.begunAt, brand.zone)}, {one.begunBy}
                  </td>
                  <td className="figure">
                    <button type="button" className="act" aria-label={`End ${one.name}`} onClick={() => setEnding(one)}>
                      End
                    </button>
                  </td>
                </tr>
              ))}
            </Rows>
          )
        }
      </Await>
    </Section>
  );
}

function Whom({ one }: { one: Exclusion }) {
  const lists = useLists().data ?? [];
  const segments = useSegments(useBrand().id).data ?? [];
  const named = (all: { id: number; name: string }[], id: number): string =>
    all.find((thing) => thing.id === id)?.name ?? `number ${id} of another brand`;
  if (one.listId !== null) return <>the list {named(lists, one.listId)}</>;
  if (one.segmentId !== null) return <>the segment {named(segments, one.segmentId)}</>;
  return <span className="said">{one.condition}</span>;
}

function EndOne({ one, done }: { one: Exclusion; done: () => void }) {
  const [reason, setReason] = useState('');
  const end = useAct((client, _: void) => client.endExclusion({ id: one.id, reason }));
  return (
    <div className="sheet stack" role="group" aria-label={`End ${one.name}`} style={{ margin: '8px 0 16px' }}>
      <TextInput
        label={`Why “${one.name}” ends`}
        required
        autoFocus
        value={reason}
        onChange={(event) => setReason(event.currentTarget.value)}
      />
      <ProblemNote error={end.error} />
      <DoOrNot
        what={`End ${one.name}`}
        ready={reason.trim() !== '' && !end.isPending}
        act={() => end.mutate(undefined, { onSuccess: done })}
        leave={done}
      />
    </div>
  );
}

type By = 'condition' | 'segmentId' | 'listId';

function NewOne({ done }: { done: () => void }) {
  const brand = useBrand();
  const [by, setBy] = useState<By>('condition');
  const [what, setWhat] = useState('');
  const [of, setOf] = useState('brand');
  const [name, setName] = useState('');
  const [reason, setReason] = useState('');
  const [counted, setCounted] = useState<NewExclusion | null>(null);
  const given: NewExclusion = {
    brandId: of === 'all' ? null : brand.id,
    name,
    reason,
    [by]: by === 'condition' ? what : Number(what),
  };
  const preview = useExclusionPreview(counted);
  const keep = useAct((client, _: void) => client.createExclusion(given));
  const change = (set: () => void): void => {
    set();
    setCounted(null);
  };
  return (
    <SheetForm send={() => keep.mutate(undefined, { onSuccess: done })}>
      <span className="row">
        <SegmentedControl
          size="xs"
          color="var(--av-ink)"
          aria-label="Whom it is about"
          data={[
            { value: 'condition', label: 'A condition' },
            { value: 'segmentId', label: 'A segment' },
            { value: 'listId', label: 'A list' },
          ]}
          value={by}
          onChange={(value) => change(() => (setBy(value), setWhat('')))}
        />
        <Select
          size="xs"
          aria-label="Whose marketing"
          data={[
            { value: 'brand', label: `marketing of ${brand.name}` },
            { value: 'all', label: 'marketing of every brand' },
          ]}
          value={of}
          onChange={(value) => change(() => setOf(value ?? 'brand'))}
          allowDeselect={false}
          w={280}
        />
      </span>
      <WhomField by={by} what={what} set={(value) => change(() => setWhat(value))} />
      <span className="row">
        <Button
          disabled={what.trim() === ''}
          loading={preview.isFetching}
          onClick={() => setCounted({ ...given, name: 'to be counted', reason: 'to be counted' })}
        >
          Count whom that leaves out
        </Button>
        {preview.data && counted
          ? preview.data.map((row) => (
              <span key={row.brandId}>
                <strong>{count(row.leftOut)}</strong> of the {count(row.mayBeWritten)} to whom {row.brandName} may write
                ({percent(row.mayBeWritten === 0 ? null : row.leftOut / row.mayBeWritten, 1)})
              </span>
            ))
          : null}
      </span>
      <ProblemNote error={counted ? preview.error : null} />
      <TextInput
        label="Name"
        required
        description="As it stands in preflights and reports."
        value={name}
        onChange={(event) => setName(event.currentTarget.value)}
      />
      <TextInput label="Reason" required value={reason} onChange={(event) => setReason(event.currentTarget.value)} />
      <ProblemNote error={keep.error} />
      <FormEnd keep="Leave them out" saving={keep.isPending} leave={done} />
    </SheetForm>
  );
}

function WhomField({ by, what, set }: { by: By; what: string; set: (value: string) => void }) {
  const brand = useBrand();
  const lists = (useLists().data ?? []).filter(({ brandId }) => brandId === brand.id);
  const segments = useSegments(brand.id).data ?? [];
  if (by === 'condition')
    return (
      <TextInput
        label="Condition"
        required
        placeholder="bounced in the last 45 days"
        value={what}
        onChange={(event) => set(event.currentTarget.value)}
      />
    );
  const all: { id: number; name: string }[] = by === 'listId' ? lists : segments;
  return (
    <Select
      label={by === 'listId' ? 'List' : 'Segment'}
      required
      searchable
      data={all.map(({ id, name }) => ({ value: String(id), label: name }))}
      value={what === '' ? null : what}
      onChange={(value) => set(value ?? '')}
    />
  );
}
