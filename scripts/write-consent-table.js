// Prints the table of docs/consent.md from the code that decides. Run it after `npm run build:service`.
import { readFileSync, writeFileSync } from 'node:fs';
import { consentMarkdown } from '../dist/core/consent/consent-table.js';

const page = 'docs/consent.md';
const between = /(<!-- printed by .* -->\n)[\s\S]*?(<!-- end -->)/;
writeFileSync(page, readFileSync(page, 'utf8').replace(between, `$1\n${consentMarkdown()}\n\n$2`));
