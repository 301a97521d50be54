import { useQuery } from '@tanstack/react-query';
import { client } from '../client.ts';
import { keys } from '../keys.ts';

/** What the first relay of a brand says: asked when it is looked at, and when somebody asks again. */
export const useRelay = (brandId: number, enabled = true) =>
  useQuery({
    queryKey: [...keys.relay, 'check', brandId],
    queryFn: async () => {
      const [first] = await client.relaysOfBrand({ id: brandId });
      return client.checkRelay({ relayId: first?.id ?? null });
    },
    staleTime: 60_000,
    retry: false,
    enabled,
  });
export const useRelays = () => useQuery({ queryKey: [...keys.relay, 'all'], queryFn: () => client.relays() });
export const useRelaysOf = (brandId: number) =>
  useQuery({ queryKey: [...keys.relay, 'of', brandId], queryFn: () => client.relaysOfBrand({ id: brandId }) });
