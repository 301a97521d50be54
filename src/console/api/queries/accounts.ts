import { useQuery } from '@tanstack/react-query';
import { client } from '../client.ts';
import { keys } from '../keys.ts';

export const useTokens = () => useQuery({ queryKey: keys.tokens, queryFn: () => client.tokens({ limit: 50 }) });
export const useSessions = () => useQuery({ queryKey: keys.sessions, queryFn: () => client.sessions() });
