import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { client } from '../client.ts';
import { keys } from '../keys.ts';

export const useContacts = (filter: Parameters<typeof client.contacts>[0]) =>
  useQuery({
    queryKey: keys.contacts(filter),
    queryFn: () => client.contacts(filter),
    placeholderData: keepPreviousData,
  });
export const useContact = (id: number) =>
  useQuery({ queryKey: keys.contact(id), queryFn: () => client.contact({ id }) });
export const useCheck = (address: string) =>
  useQuery({ queryKey: keys.check(address), queryFn: () => client.check({ address }), enabled: address !== '' });
/** The verdict of one contact, whose address can be mended: what was known stays until the new one's is there. */
export const useCheckOfContact = (address: string) =>
  useQuery({
    queryKey: keys.check(address),
    queryFn: () => client.check({ address }),
    placeholderData: keepPreviousData,
  });
export const useTimeLine = (id: number, kinds: string, limit: number) =>
  useQuery({
    queryKey: [...keys.contact(id), 'time-line', kinds, limit],
    queryFn: () => client.timeLine({ id, kinds: kinds || undefined, limit }),
    placeholderData: keepPreviousData,
  });
export const useContactJournal = (id: number) =>
  useQuery({ queryKey: [...keys.contact(id), 'journal'], queryFn: () => client.contactJournal({ id, limit: 30 }) });
