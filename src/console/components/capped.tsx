import { heldByWords } from '../../client/wording/held-by.ts';
import type { BrandVerdict } from '../../shared/contract/contacts.ts';
import { useBrand } from '../brand.tsx';
import { ReasonMark } from './marks.tsx';
import { moment } from './words.ts';

/** Whoever has had as many messages as a cap allows waits for the next, though nothing else stands against it. */
export function Capped({ verdict: { capped } }: { verdict: BrandVerdict }) {
  const { zone } = useBrand();
  if (capped === null) return null;
  const words = heldByWords({ leftOutBy: null, cappedBy: capped }, (at) => moment(at, zone));
  return (
    <div className="second">
      <ReasonMark reason="capped" />: {words}. Marketing again from {moment(capped.until, zone)}.
    </div>
  );
}
