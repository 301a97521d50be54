import { useEffect, useRef, useState } from 'react';
import { heldByWords } from '../../../client/wording/held-by.ts';
import type { RecipientsQuery } from '../../../shared/contract/reports.ts';
import { useRecipients } from '../../api/queries/campaigns.ts';
import { useBrand } from '../../brand.tsx';
import { ContactDoor } from '../../components/contact-door.tsx';
import { Await } from '../../components/page.tsx';
import { Rows } from '../../components/rows.tsx';
import { SearchField } from '../../components/search-field.tsx';
import { Turn, useOwnPages } from '../../components/turn.tsx';
import { moment, plural } from '../../components/words.ts';

/** Which recipients, and in words. */
export type Filter =
  | (Pick<RecipientsQuery, 'state' | 'reason' | 'by' | 'acted' | 'actor' | 'domain' | 'wave' | 'link'> & {
      words: string;
    })
  | null;

/** Everybody behind one figure: page by page, searched, downloaded. */
export function Recipients({ campaignId, filter }: { campaignId: number; filter: NonNullable<Filter> }) {
  const { zone } = useBrand();
  const { words, ...of } = filter;
  const [part, setPart] = useState('');
  const pages = useOwnPages();
  const found = useRecipients(campaignId, { ...of, part, cursor: pages.cursor });
  const head = useRef<HTMLElement>(null);
  useEffect(() => head.current?.focus(), []);
  const query = new URLSearchParams(
    Object.entries({ ...of, part }).flatMap(([key, value]) => (value ? [[key, String(value)]] : [])),
  );
  return (
    <section className="section" ref={head} tabIndex={-1} aria-label={`Who ${words}`}>
      <header>
        <h2>{found.data ? `${plural(found.data.total, 'contact', 'contacts')} ${words}` : `Who ${words}`}</h2>
        <a className="plain" href={`/api/v1/campaigns/${campaignId}/recipients.csv?${query}`}>
          CSV of these
        </a>
      </header>
      <SearchField
        label="Part of an address or name"
        placeholder="part of an address or name"
        value={part}
        set={(value) => {
          setPart(value);
          pages.first();
        }}
      />
      <Await of={found} rows={4}>
        {({ items, next }) => (
          <>
            <Rows>
              {items.map((row) => (
                <tr key={row.contactId}>
                  <td>
                    <ContactDoor id={row.contactId} name={row.name} address={row.address} archived={row.archived} />
                  </td>
                  <td className="second">{row.address}</td>
                  <td className={row.reply ? 'said second' : 'second'}>
                    {row.reply ??
                      heldByWords({ leftOutBy: null, cappedBy: row.cappedBy }, (instant) => moment(instant, zone))}
                  </td>
                  <td className="figure second">{row.at ? moment(row.at, zone) : ''}</td>
                </tr>
              ))}
            </Rows>
            {items.length === 0 ? (
              <p className="second">Nobody{part === '' ? '' : ' whose address or name holds that'}.</p>
            ) : null}
            <Turn pages={pages} next={next} size={20} />
          </>
        )}
      </Await>
    </section>
  );
}
