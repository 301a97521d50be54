/** Keys under which answers are kept, by thing: the one place that names them. */
export const keys = {
  session: ['session'] as const,
  brands: ['brands'] as const,
  lists: ['lists'] as const,
  today: (brandId: number) => ['today', brandId] as const,
  contacts: (filter: object) => ['contacts', filter] as const,
  contact: (id: number) => ['contact', id] as const,
  check: (address: string) => ['check', address] as const,
  campaigns: (filter: object) => ['campaigns', filter] as const,
  campaign: (id: number) => ['campaign', id] as const,
  preflight: (id: number) => ['campaign', id, 'preflight'] as const,
  suppression: ['suppression'] as const,
  entries: (filter: object) => ['suppression', 'entries', filter] as const,
  rules: ['rules'] as const,
  runs: ['runs'] as const,
  run: (id: number) => ['runs', id] as const,
  imports: ['imports'] as const,
};
