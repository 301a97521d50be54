import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { client } from '../client.ts';
import { keys } from '../keys.ts';

export const useRuns = (cursor?: string) =>
  useQuery({
    queryKey: [...keys.runs, 'from', cursor],
    queryFn: () => client.runs({ cursor, limit: 50 }),
    placeholderData: keepPreviousData,
  });
/** Runs under way are among the latest. */
export const useRunsUnderWay = () =>
  useQuery({ queryKey: [...keys.runs, 'under way'], queryFn: () => client.runs({ limit: 10 }), refetchInterval: 2000 });
export const useRun = (id: number) =>
  useQuery({
    queryKey: keys.run(id),
    queryFn: () => client.run({ id }),
    refetchInterval: (query) => (query.state.data?.finishedAt === null ? 500 : false),
  });
export const useLeftAlone = (id: number, cursor: string | undefined) =>
  useQuery({
    queryKey: [...keys.run(id), 'left alone', cursor],
    queryFn: () => client.leftAlone({ id, cursor, limit: 50 }),
    placeholderData: keepPreviousData,
  });
export const useRunJournal = (id: number, cursor: string | undefined) =>
  useQuery({
    queryKey: [...keys.run(id), 'journal', cursor],
    queryFn: () => client.runJournal({ id, cursor, limit: 50 }),
    placeholderData: keepPreviousData,
  });
export const useJournalContacts = (id: number, enabled: boolean) =>
  useQuery({ queryKey: [...keys.runs, 'set', id], queryFn: () => client.journalContacts({ id, limit: 50 }), enabled });
