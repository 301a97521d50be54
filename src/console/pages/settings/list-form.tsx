import { Button, Checkbox, NumberInput, SegmentedControl, Textarea, TextInput } from '@mantine/core';
import { useState } from 'react';
import type { List } from '../../../shared/api.ts';
import { useAct } from '../../api/use-act.ts';
import { ProblemNote } from '../../components/page.tsx';

/** Makes a list, or changes one: its name, how one gets on it, and what becomes of those who never confirm. */
export function ListForm({ brandId, list, done }: { brandId: number; list?: List; done: () => void }) {
  const [name, setName] = useState(list?.name ?? '');
  const [optIn, setOptIn] = useState<List['optIn']>(list?.optIn ?? 'double');
  const [agreement, setAgreement] = useState(list?.agreement ?? '');
  const [remind, setRemind] = useState((list?.remindDays ?? []).join(', '));
  const [expireDays, setExpireDays] = useState(list?.expireDays ?? 30);
  const [isPublic, setIsPublic] = useState(list?.isPublic ?? true);
  const days = remind.split(/[\s,;]+/).filter((one) => one !== '');
  const keep = useAct((client, _: void) =>
    list
      ? client.changeList(list.id, { name, optIn, agreement, remindDays: days.map(Number), expireDays, isPublic })
      : client.createList({ brandId, name, optIn, isPublic }),
  );
  return (
    <form className="sheet stack" style={{ margin: '8px 0 16px' }} onSubmit={(event) => { event.preventDefault(); keep.mutate(undefined, { onSuccess: done }); }}>
      <TextInput required label="Name" description={list ? 'Segments that speak of the list go along with a new name.' : 'As readers see it on the preference page.'} value={name} onChange={(event) => setName(event.currentTarget.value)} />
      <div>
        <div className="second" id="opt-in">How one gets on it by a form</div>
        <SegmentedControl size="xs" color="var(--av-ink)" aria-labelledby="opt-in" data={[{ value: 'double', label: 'By confirming a message' }, { value: 'single', label: 'At once' }]} value={optIn} onChange={(value) => setOptIn(value)} />
      </div>
      <Checkbox label="Shown on the preference page" description="Behind every message of the brand readers choose among the lists that are shown. Whoever is on a list can leave it either way." checked={isPublic} onChange={(event) => setIsPublic(event.currentTarget.checked)} />
      {list ? (
        <>
          <Textarea label="What is agreed to" description="Shown on the form, and kept with each sign-up as it was then." autosize minRows={2} value={agreement} onChange={(event) => setAgreement(event.currentTarget.value)} />
          <TextInput label="Days after which who has not confirmed is reminded" description="Two at most, with a comma between; none for no reminder." value={remind} onChange={(event) => setRemind(event.currentTarget.value)} error={days.some((one) => !/^\d+$/.test(one)) ? 'Whole numbers of days, as 3, 10' : undefined} />
          <NumberInput label="Days after which they are let go" min={1} max={365} value={expireDays} onChange={(value) => typeof value === 'number' && setExpireDays(value)} />
        </>
      ) : null}
      <ProblemNote error={keep.error} />
      <span className="row">
        <Button type="submit" loading={keep.isPending}>{list ? 'Keep' : 'Make the list'}</Button>
        <Button variant="subtle" onClick={done}>Not now</Button>
      </span>
    </form>
  ); // prettier-ignore
}
