import type * as permission from '../shared/api-permission.ts';
import type * as api from '../shared/api.ts';
import type { Encoding } from '../shared/words.ts';
import type { Calls, PageOptions, Upload } from './calls.ts';

/** How a table is to be read; what is not said is found from its beginning. */
export type FileFormat = { fileName: string; delimiter?: string; encoding?: Encoding; header?: boolean };

/** Contacts: finding them, taking them in, what is known of one. */
export function makeContactCalls({ get, post, send }: Calls) {
  return {
    contacts: (filter: permission.ContactListQuery & PageOptions) =>
      get<api.Page<api.ContactListItem> & { total: number }>('/contacts', { ...filter }),
    contact: (id: number) => get<api.ContactDetail>(`/contacts/${id}`),
    timeLine: (id: number, options: { before?: string; kinds?: string; limit?: number } = {}) =>
      get<{ items: api.TimeLineItem[]; more: boolean }>(`/contacts/${id}/time-line`, options),
    contactJournal: (id: number, options: PageOptions = {}) =>
      get<api.Page<api.JournalItem>>(`/contacts/${id}/journal`, { ...options }),
    check: (address: string) => get<api.AddressCheck>('/check', { address }),

    importFile: (query: { listId: number; dryRun?: boolean; map?: string } & FileFormat, file: Upload) =>
      send<api.Import>('POST', '/imports', { query, raw: file, type: 'text/csv' }),
    /** A few kilobytes from the file's beginning are enough. */
    fileHead: (query: FileFormat, head: Upload) => send<api.FileHead>('POST', '/imports/head', { query, raw: head, type: 'text/csv' }), // prettier-ignore
    attributes: () => get<Record<string, api.Attribute>>('/attributes'),
    imports: (options: PageOptions = {}) => get<api.Page<api.Import>>('/imports', { ...options }),
    import: (id: number) => get<api.Import>(`/imports/${id}`),
    cancelImport: (id: number) => post<api.Import>(`/imports/${id}/cancel`),
    importResults: (id: number, only?: string) =>
      send<Response>('GET', `/imports/${id}/results.csv`, { query: { only }, stream: true }),
  };
}
