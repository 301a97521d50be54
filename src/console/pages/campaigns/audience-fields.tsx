import { MultiSelect } from '@mantine/core';
import type { Campaign } from '../../../shared/contract/campaigns.ts';
import { useLists } from '../../api/queries/organisation.ts';
import { useSegments } from '../../api/queries/segments.ts';

export type Audience = Pick<Campaign, 'listIds' | 'segmentIds' | 'leftOutListIds' | 'leftOutSegmentIds'>;
export const NOBODY: Audience = { listIds: [], segmentIds: [], leftOutListIds: [], leftOutSegmentIds: [] };

/** Whom a campaign takes in and leaves out: lists and segments of its brand. */
export function AudienceFields({
  brandId,
  audience,
  change,
}: {
  brandId: number;
  audience: Audience;
  change: (audience: Audience) => void;
}) {
  const lists = (useLists().data ?? []).filter((list) => list.brandId === brandId);
  const segments = useSegments(brandId).data ?? [];
  const items = (kind: string, all: { id: number; name: string }[]): { value: string; label: string }[] =>
    all.map(({ id, name }) => ({ value: `${kind} ${id}`, label: name }));
  const data = [
    { group: 'Lists', items: items('list', lists) },
    { group: 'Segments', items: items('segment', segments) },
  ];
  const values = (listIds: number[], segmentIds: number[]): string[] => [
    ...listIds.map((id) => `list ${id}`),
    ...segmentIds.map((id) => `segment ${id}`),
  ];
  const ids = (kind: string, chosen: string[]): number[] =>
    chosen.flatMap((one) => (one.startsWith(`${kind} `) ? [Number(one.slice(kind.length + 1))] : []));
  return (
    <>
      <MultiSelect
        label="Who gets it"
        description="Lists and segments. Segments are worked out afresh when the campaign is counted, and when it starts."
        data={data}
        value={values(audience.listIds, audience.segmentIds)}
        onChange={(chosen) => change({ ...audience, listIds: ids('list', chosen), segmentIds: ids('segment', chosen) })}
      />
      <MultiSelect
        label="Who is left out"
        description="Asked again of each person before their message leaves."
        data={data}
        value={values(audience.leftOutListIds, audience.leftOutSegmentIds)}
        onChange={(chosen) =>
          change({ ...audience, leftOutListIds: ids('list', chosen), leftOutSegmentIds: ids('segment', chosen) })
        }
      />
    </>
  );
}
