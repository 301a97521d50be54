import { TextInput } from '@mantine/core';
import { useState, type ReactNode } from 'react';
import { IN_SPITE_WORDS } from '../../../client/wording/in-spite.ts';
import type { Campaign } from '../../../shared/contract/campaigns.ts';
import type { Preflight } from '../../../shared/contract/sending.ts';
import type { InSpiteOf } from '../../../shared/words.ts';
import { usePreflightContacts } from '../../api/queries/campaigns.ts';
import { Await, Door } from '../../components/page.tsx';
import { Rows } from '../../components/rows.tsx';
import { count } from '../../components/words.ts';

/** Whom a service message reaches although a marketing message would not, each reason on a line of its own. */
export function InSpite({ campaign, preflight }: { campaign: Campaign; preflight: Preflight }) {
  const [open, setOpen] = useState<InSpiteOf | null>(null);
  if (preflight.inSpiteOf.length === 0) return null;
  return (
    <div className="note">
      <p>
        {count(preflight.reachedInSpite)} of those who will get it would get no marketing. This is a service message:{' '}
        {campaign.statement === '' ? 'why is not said yet' : `“${campaign.statement}”`}.
      </p>
      <ul className="bare">
        {preflight.inSpiteOf.map(({ reason, contacts }) => (
          <li key={reason}>
            <Door onClick={() => setOpen(open === reason ? null : (reason as InSpiteOf))}>{count(contacts)}</Door>{' '}
            although {IN_SPITE_WORDS[reason]}
          </li>
        ))}
      </ul>
      {open ? <Spared campaign={campaign} inSpiteOf={open} /> : null}
    </div>
  );
}

function Spared({ campaign, inSpiteOf }: { campaign: Campaign; inSpiteOf: InSpiteOf }) {
  return (
    <Await of={usePreflightContacts(campaign.id, { inSpiteOf }, true)} rows={4}>
      {({ items }) => (
        <Rows heads={<th>Will get it although {IN_SPITE_WORDS[inSpiteOf]}, the first twenty</th>}>
          {items.map((contact) => (
            <tr key={contact.contactId}>
              <td>
                <Door to={`/contacts/${contact.contactId}`}>{contact.name ?? contact.address}</Door>{' '}
                <span className="second">{contact.address}</span>
              </td>
            </tr>
          ))}
        </Rows>
      )}
    </Await>
  );
}

/**
 * Whoever sends a service message types how many it reaches although they opted out, complained or are at sunset: the
 * field for it, nothing where it reaches nobody so, and whether the number that stands there is that of now.
 */
export function useSayInSpite(reached: number): { field: ReactNode; isSaid: boolean } {
  const [typed, setTyped] = useState('');
  if (reached === 0) return { field: null, isSaid: true };
  const field = (
    <TextInput
      label={`It reaches ${count(reached)} who would get no marketing. Type that number`}
      inputMode="numeric"
      value={typed}
      onChange={(event) => setTyped(event.currentTarget.value)}
    />
  );
  return { field, isSaid: typed.replaceAll(/[\s,.]/g, '') === String(reached) };
}
