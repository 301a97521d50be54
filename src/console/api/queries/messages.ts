import { keepPreviousData, useQuery } from '@tanstack/react-query';
import type { TypedMessage } from '../../../shared/contract/messages.ts';
import { client } from '../client.ts';
import { keys } from '../keys.ts';

/** What is written is long, and soon another: it is not kept for long. */
const KEPT_MS = 10_000;

export const usePreview = (id: number, address?: string) =>
  useQuery({ queryKey: [...keys.campaign(id), 'preview', address], queryFn: () => client.preview({ id, address }) });
export const useTypedPreview = (id: number, typed: TypedMessage, address?: string) =>
  useQuery({
    queryKey: [...keys.campaign(id), 'typed preview', typed, address],
    queryFn: () => client.previewTyped({ ...typed, address }),
    placeholderData: keepPreviousData,
    gcTime: KEPT_MS,
    retry: false,
  });
export const useCheck = (id: number, typed: TypedMessage) =>
  useQuery({
    queryKey: [...keys.campaign(id), 'check', typed],
    queryFn: () => client.checkTyped(typed),
    placeholderData: keepPreviousData,
    gcTime: KEPT_MS,
  });
