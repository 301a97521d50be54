import { Checkbox, NumberInput, SegmentedControl, TextInput } from '@mantine/core';
import type { List } from '../../../shared/contract/organisation.ts';
import { useAct } from '../../api/use-act.ts';
import { useTyped, type Typed } from '../../api/use-typed.ts';
import { ProblemNote } from '../../components/page.tsx';
import { TypedNote } from '../../components/typed-note.tsx';
import { LongField } from '../../components/long-field.tsx';
import { FormEnd, SheetForm } from '../../components/form.tsx';

const WORDS = {
  name: 'Name',
  optIn: 'How one gets on it by a form',
  isPublic: 'Shown on the preference page',
  agreement: 'What is agreed to',
  remind: 'Reminded after days',
  expireDays: 'Let go after days',
} as const;

const showField = (value: string | number | boolean): string =>
  ({ double: 'by confirming a message', single: 'at once', true: 'yes', false: 'no', '': 'nothing' })[String(value)] ??
  String(value);

const fieldsOf = (list: List | undefined) => ({
  name: list?.name ?? '',
  optIn: list?.optIn ?? ('double' as const),
  isPublic: list?.isPublic ?? true,
  agreement: list?.agreement ?? '',
  remind: (list?.remindDays ?? [3, 7]).join(', '),
  expireDays: list?.expireDays ?? 14,
});

/** Where what is typed into the form of a list, or of a new one, and not kept is found again. */
export const placeOfList = (brandId: number, list?: List): string =>
  list ? `list ${list.id}` : `new list of ${brandId}`;

/**
 * Makes a list, or changes one: its name, how one gets on it, and what becomes of those who never confirm. Without
 * `done` there is no way to leave it aside.
 */
export function ListForm({ brandId, list, done }: { brandId: number; list?: List; done?: () => void }) {
  const form = useTyped(placeOfList(brandId, list), fieldsOf(list), list?.version ?? 0);
  const { typed, set } = form;
  const days = typed.remind.split(/[\s,;]+/).filter((one) => one !== '');
  const keep = useAct((client, _: void) => {
    const { remind: _remind, ...given } = { ...typed, remindDays: days.map(Number) };
    return list
      ? client.changeList({ id: list.id, ...given, version: form.version })
      : client.createList({ brandId, ...given });
  });
  const submit = (): void => keep.mutate(undefined, { onSuccess: ({ version }) => (form.wasKept(version), done?.()) });
  const leave = (): void => (form.leaveMine(), done?.());
  return (
    <SheetForm send={() => submit()}>
      {keep.isPending ? null : <TypedNote form={form} words={WORDS} show={showField} />}
      <TextInput
        required
        label="Name"
        description={
          list
            ? 'Segments that speak of the list go along with a new name.'
            : 'As readers see it on the preference page.'
        }
        value={typed.name}
        onChange={(event) => set({ name: event.currentTarget.value })}
      />
      <div>
        <div className="second" id="opt-in">
          How one gets on it by a form
        </div>
        <SegmentedControl
          size="xs"
          color="var(--av-ink)"
          aria-labelledby="opt-in"
          data={[
            { value: 'double', label: 'By confirming a message' },
            { value: 'single', label: 'At once' },
          ]}
          value={typed.optIn}
          onChange={(optIn) => set({ optIn })}
        />
      </div>
      <Checkbox
        label="Shown on the preference page"
        description="Behind every message of the brand readers choose among the lists that are shown. Whoever is on a list can leave it either way."
        checked={typed.isPublic}
        onChange={(event) => set({ isPublic: event.currentTarget.checked })}
      />
      <LongField
        label="What is agreed to"
        description="Shown on the form, and kept with each sign-up as it was then."
        value={typed.agreement}
        change={(agreement) => set({ agreement })}
      />
      {typed.optIn === 'double' ? <Confirming form={form} days={days} /> : null}
      <ProblemNote error={form.meanwhile ? null : keep.error} />
      <FormEnd keep={list ? 'Keep' : 'Make the list'} saving={keep.isPending} leave={done ? leave : undefined} />
    </SheetForm>
  );
}

/** When who has not confirmed is reminded, and let go. */
function Confirming({ form: { typed, set }, days }: { form: Typed<ReturnType<typeof fieldsOf>>; days: string[] }) {
  return (
    <>
      <TextInput
        label="Days after which who has not confirmed is reminded"
        description="Two at most, with a comma between; none for no reminder."
        value={typed.remind}
        onChange={(event) => set({ remind: event.currentTarget.value })}
        error={days.some((one) => !/^\d+$/.test(one)) ? 'Whole numbers of days, as 3, 10' : undefined}
      />
      <NumberInput
        label="Days after which they are let go"
        min={1}
        max={365}
        value={typed.expireDays}
        onChange={(value) => typeof value === 'number' && set({ expireDays: value })}
      />
    </>
  );
}
