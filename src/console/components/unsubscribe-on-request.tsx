import { Button, Select } from '@mantine/core';
import { useState } from 'react';
import type { Subscription } from '../../shared/contract/contacts.ts';
import { useAct } from '../api/use-act.ts';
import { useBrand } from '../brand.tsx';
import { ProblemNote } from './page.tsx';
import { LongField } from './long-field.tsx';
import { DoOrNot } from './form.tsx';

interface Props {
  address: string;
  subscriptions: Subscription[];
}

/** Somebody asked by telephone or reply: out of this brand, or of one of its lists. */
export function UnsubscribeOnRequest({ address, subscriptions }: Props) {
  const brand = useBrand();
  const [reason, setReason] = useState<string | null>(null);
  // Empty for all of the brand.
  const [from, setFrom] = useState('');
  const act = useAct((client, why: string) =>
    client.unsubscribeContact({
      address,
      reason: why,
      ...(from === '' ? { brandId: brand.id } : { listId: Number(from) }),
    }),
  );
  const lists = subscriptions.filter(({ brandId, state }) => brandId === brand.id && state === 'subscribed');
  const what = lists.find(({ listId }) => String(listId) === from)?.listName ?? brand.name;
  if (reason === null) return <Button onClick={() => setReason('')}>Unsubscribe, as they asked</Button>;
  return (
    <div className="stack">
      {lists.length === 0 ? null : (
        <Select
          label="What do they want no more of?"
          allowDeselect={false}
          data={[
            { value: '', label: `anything of ${brand.name}` },
            ...lists.map(({ listId, listName }) => ({ value: String(listId), label: `${listName} alone` })),
          ]}
          value={from}
          onChange={(value) => setFrom(value ?? '')}
        />
      )}
      <LongField label="What did they say, and how?" value={reason} change={setReason} />
      <ProblemNote error={act.error} />
      <DoOrNot
        what={<>No more from {what}</>}
        ready={reason.trim() !== '' && !act.isPending}
        act={() => act.mutate(reason, { onSuccess: () => setReason(null) })}
        leave={() => setReason(null)}
      />
    </div>
  );
}
