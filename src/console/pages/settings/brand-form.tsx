import { Select, TextInput } from '@mantine/core';
import { useState } from 'react';
import type { Brand } from '../../../shared/contract/organisation.ts';
import { useAct } from '../../api/use-act.ts';
import { ProblemNote } from '../../components/page.tsx';
import { FormEnd, SheetForm } from '../../components/form.tsx';

const ZONES = ['UTC', ...Intl.supportedValuesOf('timeZone').filter((zone) => zone !== 'UTC')];

/** Makes a brand, or changes one. Without `done` there is no way to leave it aside. */
export function BrandForm({ brand, done }: { brand?: Brand; done?: () => void }) {
  const [given, setGiven] = useState({
    name: brand?.name ?? '',
    fromAddress: brand?.fromAddress ?? '',
    returnDomain: brand?.returnDomain ?? '',
    zone: brand?.zone ?? 'UTC',
  });
  const keep = useAct((client, _: void) =>
    brand ? client.changeBrand({ id: brand.id, ...given }) : client.createBrand(given),
  );
  const set = (change: Partial<typeof given>): void => setGiven({ ...given, ...change });
  return (
    <SheetForm send={() => keep.mutate(undefined, { onSuccess: done })}>
      <TextInput
        required
        label="Name"
        description="What readers see as the sender."
        value={given.name}
        onChange={(event) => set({ name: event.currentTarget.value })}
      />
      <TextInput
        required
        type="email"
        label="Address it sends from"
        placeholder="digest@larkfield.example"
        value={given.fromAddress}
        onChange={(event) => set({ fromAddress: event.currentTarget.value })}
      />
      <TextInput
        required
        label="Domain that returns come to"
        description={
          brand
            ? 'Mail for it has to reach the intake. What left before comes back to the old one: keep that one coming, too.'
            : 'Mail for it has to reach the intake.'
        }
        placeholder="returns.larkfield.example"
        value={given.returnDomain}
        onChange={(event) => set({ returnDomain: event.currentTarget.value })}
      />
      <Select
        searchable
        allowDeselect={false}
        label="Time zone"
        description="In which its days begin and end."
        data={ZONES.includes(given.zone) ? ZONES : [given.zone, ...ZONES]}
        value={given.zone}
        onChange={(zone) => zone && set({ zone })}
      />
      <ProblemNote error={keep.error} />
      <FormEnd keep={brand ? 'Keep' : 'Make the brand'} saving={keep.isPending} leave={done} />
    </SheetForm>
  );
}
