import { Button, Checkbox, SegmentedControl } from '@mantine/core';
import { useState } from 'react';
import type { ContactQuery } from '../../../shared/contract/contacts.ts';
import { useConditionNames } from '../../api/queries/conditions.ts';
import { Panel } from '../../components/panel.tsx';

/** Columns of Avendel's own, in the order in which they come; attributes come after them. */
const OWN = ['address', 'name', 'joined_at', 'deliverability', 'stage', 'lists', 'tags', 'verdict', 'archived_at'];

/** Everybody whom the filter finds as a file, with the columns that are wanted. */
export function Download({ filter }: { filter: ContactQuery }) {
  const [open, setOpen] = useState(false);
  const [format, setFormat] = useState<'csv' | 'jsonl'>('csv');
  const [wanted, setWanted] = useState(['address', 'name', 'joined_at', 'stage', 'lists']);
  const names = useConditionNames(filter.brandId).data;
  const columns = [...OWN, ...Object.keys(names?.attributes ?? {})];
  const query = new URLSearchParams({ format, columns: columns.filter((one) => wanted.includes(one)).join(',') });
  for (const [name, value] of Object.entries(filter)) if (value !== undefined) query.set(name, String(value));
  return (
    <Panel
      opened={open}
      close={() => setOpen(false)}
      position="top-end"
      width={300}
      label="Download"
      target={
        <Button aria-expanded={open} onClick={() => setOpen(!open)}>
          Download
        </Button>
      }
    >
      <div className="stack">
        <SegmentedControl
          size="xs"
          color="var(--av-ink)"
          aria-label="Format"
          data={[
            { value: 'csv', label: 'CSV' },
            { value: 'jsonl', label: 'JSON Lines' },
          ]}
          value={format}
          onChange={(value) => setFormat(value)}
        />
        <Checkbox.Group label="Columns" value={wanted} onChange={setWanted}>
          {columns.map((column) => (
            <Checkbox key={column} value={column} label={column.replace('_', ' ')} size="xs" mt={6} />
          ))}
        </Checkbox.Group>
        {wanted.length === 0 ? (
          <p className="second">Choose a column.</p>
        ) : (
          <a
            className="main-button"
            style={{ display: 'grid', placeItems: 'center', textDecoration: 'none' }}
            href={`/api/v1/contacts/export?${query.toString()}`}
            download
          >
            Download all that match
          </a>
        )}
      </div>
    </Panel>
  );
}
