import type { Contract } from './contract.ts';
import { accounts } from './accounts.ts';
import { actors } from './actors.ts';
import { acts } from './acts.ts';
import { addresses } from './addresses.ts';
import { campaigns } from './campaigns.ts';
import { caps } from './caps.ts';
import { exclusions } from './exclusions.ts';
import { pacing } from './pace.ts';
import { schedule } from './schedule.ts';
import { dkim } from './dkim.ts';
import { messages } from './messages.ts';
import { reports } from './reports.ts';
import { sending } from './sending.ts';
import { conditions } from './conditions.ts';
import { contacts } from './contacts.ts';
import { cost } from './cost.ts';
import { events } from './events.ts';
import { imports } from './imports.ts';
import { organisation } from './organisation.ts';
import { permission } from './permission.ts';
import { reconciliations } from './reconciliations.ts';
import { returns } from './returns.ts';
import { storms } from './storms.ts';
import { mailboxes } from './mailboxes.ts';
import { relay } from './relay.ts';
import { rules } from './rules.ts';
import { runs } from './runs.ts';
import { segments } from './segments.ts';
import { suppression } from './suppression.ts';
import { tallies } from './tallies.ts';
import { verifications } from './verifications.ts';

/** The routes of the API by the thing they are of. */
export const THINGS = {
  accounts,
  actors,
  acts,
  addresses,
  campaigns,
  caps,
  exclusions,
  schedule,
  pacing,
  dkim,
  messages,
  sending,
  reports,
  conditions,
  contacts,
  cost,
  events,
  imports,
  organisation,
  permission,
  reconciliations,
  returns,
  mailboxes,
  storms,
  relay,
  rules,
  runs,
  segments,
  suppression,
  tallies,
  verifications,
} satisfies Record<string, Record<string, Contract>>;

/** Every route of the API by the name of its call. */
export const CONTRACTS = {
  ...accounts,
  ...actors,
  ...acts,
  ...addresses,
  ...campaigns,
  ...caps,
  ...exclusions,
  ...schedule,
  ...pacing,
  ...dkim,
  ...messages,
  ...sending,
  ...reports,
  ...conditions,
  ...contacts,
  ...cost,
  ...events,
  ...imports,
  ...organisation,
  ...permission,
  ...reconciliations,
  ...returns,
  ...mailboxes,
  ...storms,
  ...relay,
  ...rules,
  ...runs,
  ...segments,
  ...suppression,
  ...tallies,
  ...verifications,
} satisfies Record<string, Contract>;

export type Contracts = typeof CONTRACTS;
