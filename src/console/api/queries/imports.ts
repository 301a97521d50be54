import { useQuery } from '@tanstack/react-query';
import { client } from '../client.ts';
import { keys } from '../keys.ts';

export const useImports = (brandId: number) =>
  useQuery({
    queryKey: [...keys.imports, 'of', brandId],
    queryFn: () => client.imports({ brandId, limit: 10 }),
    refetchInterval: 5000,
  });
/** Imports under way are among the latest. */
export const useImporting = () =>
  useQuery({
    queryKey: [...keys.imports, 'under way'],
    queryFn: () => client.imports({ limit: 3 }),
    refetchInterval: 2000,
  });
export const useImport = (id: number | null) =>
  useQuery({
    queryKey: [...keys.imports, id],
    queryFn: () => client.import({ id: id! }),
    enabled: id !== null,
    refetchInterval: (query) =>
      query.state.data && ['finished', 'failed', 'cancelled'].includes(query.state.data.state) ? false : 400,
  });
/** Whose name a dry run would replace. */
export const useRenames = (importId: number) =>
  useQuery({
    queryKey: [...keys.imports, importId, 'renames'],
    queryFn: () => client.renames({ id: importId }),
    staleTime: 60_000,
  });
export const useHeldRows = (importId: number, enabled: boolean) =>
  useQuery({
    queryKey: [...keys.imports, importId, 'held'],
    queryFn: () => client.heldRows({ id: importId }),
    enabled,
  });
