// Writes what is made from the code: the client's table of routes, and the tables of docs/. Run it with `npm run generate`.
import { readFileSync, writeFileSync } from 'node:fs';
import { consentMarkdown } from '../dist/core/consent/consent-table.js';
import { CONTRACTS, THINGS } from '../dist/shared/contract/index.js';
import { apiPage } from '../dist/service/http/api-page.js';
import { routeTableText } from '../dist/service/http/route-table-text.js';

function writeBetween(page, text) {
  const between = /(<!-- printed by .* -->\n)[\s\S]*?(<!-- end -->)/;
  writeFileSync(
    page,
    readFileSync(page, 'utf8').replace(between, (_, begin, end) => `${begin}\n${text}\n\n${end}`),
  );
}

writeFileSync('src/client/route-table.ts', routeTableText(CONTRACTS));
writeBetween('docs/consent.md', consentMarkdown());
writeBetween('docs/api.md', apiPage(THINGS));
