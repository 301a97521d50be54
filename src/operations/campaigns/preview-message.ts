import {
  compileMessage,
  standardFields,
  writeMessage,
  type PlacedProblem,
  type WrittenMessage,
} from '../../core/message/compile-message.ts';
import { parseAddress } from '../../core/address/normal-form.ts';
import { findContact } from '../../store/statements/contacts.ts';
import type { Deps } from '../deps.ts';
import { found, Problem } from '../problem.ts';
import { getCampaign, knownFields, reportMessageProblems } from './edit-campaign.ts';
import { findSender } from './find-sender.ts';
import { stringFields } from './send-campaign.ts';

export interface MessagePreview {
  message: Pick<WrittenMessage, 'to' | 'from' | 'subject' | 'html' | 'text' | 'headers'>;
  links: { number: number; url: string }[];
  problems: PlacedProblem[];
}

/** A campaign's message as one contact would get it, or as a stranger without name would. The links in it are live. */
export async function previewMessage(
  deps: Deps,
  campaignId: number,
  addressText: string | undefined,
): Promise<MessagePreview> {
  const campaign = await getCampaign(deps, campaignId);
  const { message: compiled } = compileMessage(campaign, await knownFields(deps));
  const contact = addressText === undefined ? undefined : await contactOf(deps, addressText);
  const address = contact?.address ?? 'reader@example.com';
  const fields = { ...stringFields(contact?.attributes ?? {}), ...standardFields(address, contact?.name ?? null) };
  const written = writeMessage(
    compiled,
    { contactId: contact?.id ?? 0, campaignId, address, fields },
    await findSender(deps, campaign),
    deps.tokens,
  );
  const { to, from, subject, html, text, headers } = written;
  return {
    message: { to, from, subject, html, text, headers },
    links: compiled.links,
    problems: await reportMessageProblems(deps, campaign),
  };
}

async function contactOf(deps: Deps, text: string): ReturnType<typeof findContact> {
  const parsed = parseAddress(text);
  if (!parsed.ok) throw new Problem('invalid-input', `“${text}” is not an address.`, { field: 'address' });
  return found(await findContact(deps.database, { address: parsed.address }), `contact ${parsed.address}`);
}
