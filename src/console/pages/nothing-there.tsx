import { useLocation } from 'react-router';
import type { Brand } from '../../shared/contract/organisation.ts';
import { lookAtBrand } from '../brand.tsx';
import { Door, Finding } from '../components/page.tsx';

/** An address under which there is nothing. */
export function NoSuchPage() {
  const { pathname } = useLocation();
  return (
    <Finding line="A wrong address" headline="There is no such page">
      Nothing stands under {pathname}. <Door to="/">Go to Today</Door>, or to one of the places at the side.
    </Finding>
  );
}

/** The brand of the address is none, or none any more. */
export function NoSuchBrand({ id, brands }: { id: number; brands: Brand[] }) {
  return (
    <main className="page" id="page" style={{ maxWidth: 560, margin: '0 auto' }}>
      <Finding line="A wrong address" headline={`There is no brand ${id}`}>
        There {brands.length === 1 ? 'is' : 'are'}{' '}
        {brands.map((one, index) => (
          <span key={one.id}>
            {index > 0 ? ', ' : ''}
            <Door onClick={() => lookAtBrand(one.id)}>{one.name}</Door>
          </span>
        ))}
        .
      </Finding>
    </main>
  );
}
