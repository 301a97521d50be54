import { useQuery } from '@tanstack/react-query';
import { client } from '../client.ts';
import { keys } from '../keys.ts';

export const useActPreview = (selection: Parameters<typeof client.previewAct>[0] | null) =>
  useQuery({
    queryKey: keys.contacts({ act: selection }),
    queryFn: () => client.previewAct(selection!),
    enabled: selection !== null,
  });
