/** A condition for one of the usual questions, to begin with. */
export interface ReadyMade {
  name: string;
  about: string;
  condition: string;
}

const readers = (days: number): ReadyMade => ({
  name: `Readers of the last ${days} days`,
  about: 'who opened or clicked, and newcomers who have not had the time',
  condition: `read in the last ${days} days or joined in the last ${days} days`,
});

export const READY_MADE: readonly ReadyMade[] = [
  readers(30),
  readers(60),
  readers(90),
  {
    name: 'Not written to in 7 days',
    about: 'whom nothing was sent in a week',
    condition: 'never sent in the last 7 days',
  },
  { name: 'Bounced in 45 days', about: 'from whom anything came back', condition: 'bounced in the last 45 days' },
  {
    name: 'At or over the bounce count',
    about: 'three lesser bounces in 45 days',
    condition: 'bounced soft at least 3 times in the last 45 days',
  },
  {
    name: 'Silent though written to',
    about: '90 days and eight messages without an answer',
    condition: 'silent for 90 days with at least 8 messages',
  },
  {
    name: 'Never a reader',
    about: 'neither opened nor clicked after 24 messages',
    condition: 'sent at least 24 times and never read',
  },
  {
    name: 'Buyers who stopped reading',
    about: 'bought in a year, and did not read in 90 days',
    condition: 'purchased in the last 12 months and never read in the last 90 days',
  },
  { name: 'Newcomers', about: 'within the grace of the brand’s ladder', condition: 'newcomer' },
  { name: 'Unconfirmed', about: 'asked to join, and never confirmed', condition: 'waiting on any list' },
  {
    name: 'Mistyped domains',
    about: 'at a domain that looks like a slip of another',
    condition: 'domain looks mistyped',
  },
  {
    name: 'May not be mailed',
    about: 'whom no marketing of this brand may reach now, and who are not archived',
    condition: 'may not be mailed and not archived',
  },
  {
    name: 'May not be mailed by any brand',
    about: 'whom no marketing may reach now, whichever brand it is of: whom to archive',
    condition: 'may not be mailed by any brand and not archived',
  },
  { name: 'Machine suspects', about: 'addresses that look automated', condition: 'automated' },
];
