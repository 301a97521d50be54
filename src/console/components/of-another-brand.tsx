import { useBrands } from '../api/queries/organisation.ts';
import { lookAtBrand, useBrand } from '../brand.tsx';
import { Door } from './page.tsx';

/** Says of a thing that it is of another brand than the one that is looked at. */
export function OfAnotherBrand({ brandId, what }: { brandId: number; what: string }) {
  const brand = useBrand();
  const other = useBrands().data?.find(({ id }) => id === brandId);
  if (brandId === brand.id || !other) return null;
  return (
    <p role="note" className="other-brand">
      This {what} is of {other.name}, not of {brand.name}.{' '}
      <Door onClick={() => lookAtBrand(brandId, true)}>Look at {other.name}</Door>
    </p>
  );
}
