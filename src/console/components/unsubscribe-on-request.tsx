import { Button, Textarea } from '@mantine/core';
import { useState } from 'react';
import { useAct } from '../api/use-act.ts';
import { useBrand } from '../brand.tsx';
import { ProblemNote } from './page.tsx';

/** Somebody asked by telephone or reply: out of this brand, in one step. */
export function UnsubscribeOnRequest({ address }: { address: string }) {
  const brand = useBrand();
  const [reason, setReason] = useState<string | null>(null);
  const act = useAct((client, why: string) => client.unsubscribeContact({ address, reason: why, brandId: brand.id })); // prettier-ignore
  if (reason === null) return <Button onClick={() => setReason('')}>Unsubscribe, as they asked</Button>;
  return (
    <div className="stack">
      <Textarea label="What did they say, and how?" value={reason} onChange={(event) => setReason(event.currentTarget.value)} autosize minRows={2} />
      <ProblemNote error={act.error} />
      <Button disabled={reason.trim() === '' || act.isPending} onClick={() => act.mutate(reason, { onSuccess: () => setReason(null) })}>
        No more from {brand.name}
      </Button>
    </div>
  ); // prettier-ignore
}
