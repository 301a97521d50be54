import { useQuery } from '@tanstack/react-query';
import { client } from '../client.ts';
import { keys } from '../keys.ts';

export const useCost = () => useQuery({ queryKey: keys.cost, queryFn: () => client.cost() });
