import { createContext, use, useEffect, useState, type ReactNode } from 'react';
import { BrowserRouter } from 'react-router';
import type { Brand } from '../shared/contract/organisation.ts';

/** The brand that is looked at; chosen in the top bar. */
export const BrandContext = createContext<Brand>({
  id: 0,
  name: '',
  fromAddress: '',
  returnDomain: '',
  zone: 'UTC',
  testedAt: null,
  createdAt: '',
});

export function useBrand(): Brand {
  return use(BrandContext);
}

/** The brand stands at the beginning of every address: two tabs can look at two, and a link leads where it led. */
const OF_BRAND = /^\/brand\/(\d+)(?=\/|$)/;

const brandIn = (path: string): number | null => {
  const id = OF_BRAND.exec(path)?.[1];
  return id === undefined ? null : Number(id);
};

const CHOSEN = 'brand';

/** The brand that was looked at last in this browser, for an address without one. */
function lastChosen(brands: Brand[]): Brand | undefined {
  const id = Number(localStorage.getItem(CHOSEN));
  return brands.find((one) => one.id === id) ?? brands[0];
}

/**
 * Looks at another brand, on the same page where there is such a page for it: a contact is everybody's, what else has a
 * number is of one brand. `same` is for what is of that very brand.
 */
export function lookAtBrand(id: number, same = false): void {
  const here = location.pathname.replace(OF_BRAND, '');
  const there = same || /^\/contacts\/\d+$/.test(here) ? here : `/${here.split('/')[1] ?? ''}`;
  history.pushState(null, '', `/brand/${id}${there}`);
  dispatchEvent(new PopStateEvent('popstate'));
}

/** The pages, under the brand of the address; `none` where that is no brand. */
export function OfBrand({
  brands,
  none,
  children,
}: {
  brands: Brand[];
  none: (id: number) => ReactNode;
  children: ReactNode;
}) {
  const [id, setId] = useState(() => brandIn(location.pathname));
  useEffect(() => {
    const onMove = (): void => setId(brandIn(location.pathname));
    addEventListener('popstate', onMove);
    return () => removeEventListener('popstate', onMove);
  }, []);
  const brand = id === null ? lastChosen(brands) : brands.find((one) => one.id === id);
  if (!brand) return none(id ?? 0);
  // Drawn again before anybody moved, the address has its brand already.
  if (brandIn(location.pathname) === null) {
    history.replaceState(null, '', `/brand/${brand.id}${location.pathname}${location.search}${location.hash}`);
  }
  localStorage.setItem(CHOSEN, String(brand.id));
  return (
    <BrandContext value={brand}>
      <BrowserRouter key={brand.id} basename={`/brand/${brand.id}`}>
        {children}
      </BrowserRouter>
    </BrandContext>
  );
}
