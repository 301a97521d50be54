import { stringify } from 'csv-stringify/sync';
import { withoutFormula } from '../../core/export/without-formula.ts';
import { listRecipients, type RecipientFilter } from '../../store/statements/campaigns.ts';
import type { Deps } from '../deps.ts';

const PAGE = 20_000;

/** The contacts behind one figure of a report as CSV, in pieces. */
export async function* exportRecipients(
  deps: Deps,
  campaignId: number,
  filter: RecipientFilter,
): AsyncGenerator<string> {
  yield stringify([['address', 'name', 'state', 'reasons', 'at', 'reply']]);
  for (let after = 0; ;) {
    const rows = await listRecipients(deps.database, campaignId, filter, after, PAGE);
    if (rows.length === 0) return;
    yield stringify(
      rows.map(({ address, name, state, reasons, at, reply }) =>
        [address, name, state, reasons.join(' '), at?.toISOString(), reply].map((cell) => withoutFormula(cell ?? '')),
      ),
    );
    after = rows[rows.length - 1]!.contactId;
  }
}
