import type { TypedMessage } from '../../shared/contract/messages.ts';
import { parseAddress } from '../../core/address/normal-form.ts';
import {
  compileMessage,
  standardFields,
  type CompiledMessage,
  type ReadMessage,
  type SenderIdentity,
} from '../../core/message/compile-message.ts';
import { findContact } from '../../store/statements/contacts.ts';
import { knownFields } from '../campaigns/edit-campaign.ts';
import { findSender } from '../campaigns/find-sender.ts';
import { stringFields } from '../campaigns/send-campaign.ts';
import type { Deps } from '../deps.ts';
import { found, Problem } from '../problem.ts';

/** The contact whose data a message is written with; nobody for a stranger without a name. */
export interface Reader {
  contactId: number;
  address: string;
  fields: Record<string, string | undefined>;
}

/** @throws Problem invalid-input, not-found */
export async function findReader(deps: Deps, text: string | undefined): Promise<Reader> {
  const contact = text === undefined ? undefined : await contactOf(deps, text);
  const address = contact?.address ?? 'reader@example.com';
  return {
    contactId: contact?.id ?? 0,
    address,
    fields: { ...stringFields(contact?.attributes ?? {}), ...standardFields(address, contact?.name ?? null) },
  };
}

async function contactOf(deps: Deps, text: string): ReturnType<typeof findContact> {
  const parsed = parseAddress(text);
  if (!parsed.ok) throw new Problem('invalid-input', `“${text}” is not an address.`, { field: 'address' });
  return found(await findContact(deps.database, { address: parsed.address }), `contact ${parsed.address}`);
}

/** A message as it stands on somebody's screen, with who sends it. @throws Problem not-found */
export async function readTyped(
  deps: Deps,
  typed: TypedMessage,
): Promise<{ read: ReadMessage; compiled: CompiledMessage; sender: SenderIdentity }> {
  const read = compileMessage(typed, await knownFields(deps));
  return { read, compiled: read.message, sender: await findSender(deps, typed) };
}
