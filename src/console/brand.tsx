import { createContext, use } from 'react';
import type { Brand } from '../shared/api.ts';

/** The brand that is looked at; chosen in the top bar. */
export const BrandContext = createContext<Brand>({ id: 0, name: '', fromAddress: '', returnDomain: '', zone: 'UTC' });

export function useBrand(): Brand {
  return use(BrandContext);
}
