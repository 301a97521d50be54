import { useQuery } from '@tanstack/react-query';
import { client } from '../client.ts';
import { keys } from '../keys.ts';

export const useSegments = (brandId: number) =>
  useQuery({ queryKey: [...keys.segments, 'of', brandId], queryFn: () => client.segments({ brandId }) });
export const useSegment = (id: number) =>
  useQuery({ queryKey: [...keys.segments, id], queryFn: () => client.segment({ id }) });
export const useSnapshots = (segmentId: number) =>
  useQuery({ queryKey: [...keys.segments, 'snapshots', segmentId], queryFn: () => client.snapshots({ segmentId }) });
export const useSnapshotChange = (id: number) =>
  useQuery({ queryKey: [...keys.segments, 'change', id], queryFn: () => client.snapshotChange({ id }) });
export const useSnapshotContacts = (id: number, direction: 'came' | 'left') =>
  useQuery({
    queryKey: [...keys.segments, 'change', id, direction],
    queryFn: () => client.snapshotChangeContacts({ id, direction, limit: 50 }),
  });
