import type { MessagePreview, TypedMessage } from '../../shared/contract/messages.ts';
import { compileMessage, writeMessage, type WrittenMessage } from '../../core/message/compile-message.ts';
import { getCampaign, knownFields, reportMessageProblems } from '../campaigns/edit-campaign.ts';
import { findSender } from '../campaigns/find-sender.ts';
import type { Deps } from '../deps.ts';
import { findReader, readTyped } from './typed-message.ts';

/** A campaign's message as one contact would get it, or as a stranger without name would. The links in it are live. */
export async function previewMessage(
  deps: Deps,
  campaignId: number,
  address: string | undefined,
): Promise<MessagePreview> {
  const campaign = await getCampaign(deps, campaignId);
  const { message: compiled } = compileMessage(campaign, await knownFields(deps));
  const recipient = { campaignId, ...(await findReader(deps, address)) };
  const message = writeMessage(compiled, recipient, await findSender(deps, campaign), deps.tokens);
  return { message: shown(message), links: compiled.links, problems: await reportMessageProblems(deps, campaign) };
}

/** The same of a message that is being written. Its links lead nowhere: it belongs to nobody yet. */
export async function previewTyped(
  deps: Deps,
  typed: TypedMessage,
  address: string | undefined,
): Promise<MessagePreview> {
  const { compiled, sender } = await readTyped(deps, typed);
  const recipient = { campaignId: 0, ...(await findReader(deps, address)), contactId: 0 };
  const message = writeMessage(compiled, recipient, sender, deps.tokens);
  return { message: shown(message), links: compiled.links, problems: await reportMessageProblems(deps, typed) };
}

function shown({ to, from, subject, html, text, headers }: WrittenMessage): MessagePreview['message'] {
  return { to, from, subject, html, text, headers };
}
