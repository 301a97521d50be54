import { Button, Checkbox, Popover, SegmentedControl } from '@mantine/core';
import { useState } from 'react';
import type { ContactQuery } from '../../../shared/api-permission.ts';
import { useConditionNames } from '../../api/queries.ts';

/** Columns of Avendel's own, in the order in which they come; attributes come after them. */
const OWN = ['address', 'name', 'joined_at', 'deliverability', 'stage', 'lists', 'tags', 'verdict', 'archived_at'];

/** Everybody whom the filter finds as a file, with the columns that are wanted. */
export function Download({ filter }: { filter: ContactQuery }) {
  const [format, setFormat] = useState<'csv' | 'jsonl'>('csv');
  const [wanted, setWanted] = useState(['address', 'name', 'joined_at', 'stage', 'lists']);
  const names = useConditionNames(filter.brandId).data;
  const columns = [...OWN, ...Object.keys(names?.attributes ?? {})];
  const query = new URLSearchParams({ format, columns: columns.filter((one) => wanted.includes(one)).join(',') });
  for (const [name, value] of Object.entries(filter)) if (value !== undefined) query.set(name, String(value));
  return (
    <Popover position="top-end" width={300} withinPortal>
      <Popover.Target>
        <Button>Download</Button>
      </Popover.Target>
      <Popover.Dropdown>
        <div className="stack">
          <SegmentedControl size="xs" color="var(--av-ink)" aria-label="Format" data={[{ value: 'csv', label: 'CSV' }, { value: 'jsonl', label: 'JSON Lines' }]} value={format} onChange={(value) => setFormat(value)} />
          <Checkbox.Group label="Columns" value={wanted} onChange={setWanted}>
            {columns.map((column) => <Checkbox key={column} value={column} label={column.replace('_', ' ')} size="xs" mt={6} />)}
          </Checkbox.Group>
          {wanted.length === 0 ? <p className="second">Choose a column.</p> : <a className="main-button" style={{ display: "grid", placeItems: "center", textDecoration: "none" }} href={`/api/v1/contacts/export?${query.toString()}`} download>Download all that match</a>}
        </div>
      </Popover.Dropdown>
    </Popover>
  ); // prettier-ignore
}
