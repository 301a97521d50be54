import type { Client } from '../client/client.ts';
import type { CampaignReport, Rate, WhatCame } from '../shared/contract/reports.ts';
import { leftOutWords } from '../client/wording/held-by.ts';
import { makeProgress } from './progress.ts';
import { count, note, share, tableText } from './output.ts';

const LOOK_EVERY_MS = 400;

/** Draws a send's progress until it has ended or was paused. Sending goes on if this program is stopped. */
export async function watchCampaign(client: Client, id: number): Promise<void> {
  const progress = makeProgress();
  let trouble: string | null = null;
  for (;;) {
    const report = await client.report({ id });
    const { accepted, refused, uncertain, waiting, onTheirWay } = report.ledger;
    const done = accepted + refused + uncertain;
    progress.draw(report.state, done, done + waiting + onTheirWay);
    if (report.trouble !== null && report.trouble !== trouble)
      note(`\nThe relay is in trouble, and will be tried again: ${report.trouble}`);
    trouble = report.trouble;
    if (report.state !== 'sending') break;
    await new Promise((resolve) => setTimeout(resolve, LOOK_EVERY_MS));
  }
  progress.end();
}

/** A campaign's report in words and tables: the ledger that adds up, then what came back. */
export function reportLines(name: string, report: CampaignReport): string[] {
  const { ledger } = report;
  const ledgerRows = [
    { what: 'audience', contacts: ledger.audience },
    ...ledger.reasons.map((row) => ({
      what: `− held back: ${row.by ? `${row.reason}, ${leftOutWords(row.by)}` : row.reason}`,
      contacts: row.contacts,
    })),
    {
      what: `− refused by the relay${ledger.refused > 0 ? ` (${classes(report.refusedAs)})` : ''}`,
      contacts: ledger.refused,
    },
    { what: '− uncertain', contacts: ledger.uncertain },
    { what: '− waiting', contacts: ledger.waiting + ledger.onTheirWay },
    { what: '= accepted', contacts: ledger.accepted },
  ].filter((row) => row.contacts > 0 || row.what.startsWith('='));
  const people = (contacts: number): string => share(contacts, report.delivered);
  const acts = [
    { what: 'accepted', contacts: ledger.accepted, share: '' },
    { what: '− bounced later', contacts: report.bounced.any, share: classes(report.bounced) },
    { what: '= delivered', contacts: report.delivered, share: '' },
    { what: 'opened, by people', contacts: report.opened.human, share: people(report.opened.human) },
    { what: 'opened, by anyone', contacts: report.opened.any, share: people(report.opened.any) },
    { what: 'clicked, by people', contacts: report.clicked.human, share: people(report.clicked.human) },
    { what: 'clicked, by anyone', contacts: report.clicked.any, share: people(report.clicked.any) },
    { what: 'complained', contacts: report.complained, share: people(report.complained) },
    { what: 'unsubscribed', contacts: report.unsubscribed, share: people(report.unsubscribed) },
  ];
  return [
    `${name} is ${report.state}${report.pausedBecause ? `: ${report.pausedBecause}` : ''}. ${count(ledger.accepted)} of ${count(ledger.audience)} accepted.`,
    ...(report.trouble ? [`The relay is in trouble: ${report.trouble}`] : []),
    tableText(ledgerRows, [
      { head: 'Ledger', cell: (row) => row.what },
      { head: 'Contacts', cell: (row) => row.contacts, right: true },
    ]),
    ...report.setAside.map(({ name: what, reason, setBy }) => `It did without “${what}”: ${reason} (${setBy}).`),
    ledger.agrees ? 'The ledger agrees.' : 'The ledger does not agree: tell the operator.',
    '',
    tableText(acts, [
      { head: 'Since then', cell: (row) => row.what },
      { head: 'Contacts', cell: (row) => row.contacts, right: true },
      { head: 'Of delivered', cell: (row) => row.share, right: true },
    ]),
    '',
    tableText(report.rates, [
      { head: 'Rate', cell: (rate) => RATE_WORDS[rate.name] },
      { head: 'Now', cell: (rate) => percent(rate.rate), right: true },
      { head: 'Limit', cell: (rate) => percent(rate.limit), right: true },
      { head: '', cell: (rate) => (rate.over === null ? 'too few to judge' : rate.over ? 'OVER' : '') },
    ]),
    ...over(report.rates),
  ];
}

/** When people acted, with which links, and what is usual. */
export function whatCameLines(report: CampaignReport, { byHour, links, usual }: WhatCame): string[] {
  const opened = byHour.at(-1)?.opened ?? 0;
  const within = (hours: number): string => count(byHour.filter((point) => point.hours <= hours).at(-1)?.opened ?? 0);
  const isTold = report.delivered > 0 && usual !== null;
  return [
    ...(opened === 0
      ? []
      : [
          '',
          `Of ${count(opened)} people who opened it ${within(1)} did within an hour of getting it, ${within(24)} within a day.`,
        ]),
    ...(isTold
      ? [
          `Usually, by the median of the last ${usual.campaigns}, people open ${percent(usual.shares.opened.human)} and click ${percent(usual.shares.clicked.human)}; ${percent(usual.shares.unsubscribed)} unsubscribe.`,
        ]
      : []),
    ...(links.length === 0
      ? []
      : [
          '',
          tableText(links, [
            { head: 'No', cell: (row) => row.number, right: true },
            { head: 'Link', cell: (row) => row.url },
            { head: 'People', cell: (row) => count(row.people), right: true },
            { head: 'Anyone', cell: (row) => count(row.anyone), right: true },
          ]),
        ]),
  ];
}

const classes = ({ hard, soft, block }: CampaignReport['bounced']): string =>
  `${hard} hard, ${soft} soft, ${block} block`;

const RATE_WORDS: Record<Rate['name'], string> = {
  bounce: 'bounced or refused, of those tried',
  hard: 'hard, of those tried',
  complaint: 'complained, of delivered',
  unsubscribe: 'unsubscribed, of delivered',
};

function percent(rate: number | null): string {
  return rate === null ? '–' : `${(100 * rate).toFixed(2)} %`;
}

/** A line for what is over its limit, and what to do. */
function over(rates: Rate[]): string[] {
  const names = rates.filter((rate) => rate.over === true).map(({ name }) => RATE_WORDS[name]);
  return names.length === 0
    ? []
    : [`Over the limit: ${names.join('; ')}. Write to fewer, the most engaged first, until it falls.`];
}
