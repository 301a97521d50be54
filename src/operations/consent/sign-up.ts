import { parseAddress } from '../../core/address/normal-form.ts';
import { networkBlock } from '../../core/address/network-block.ts';
import { addressHash, baseAddress } from '../../core/address/suppression-keys.ts';
import { ListEntity } from '../../store/entities/organisation.ts';
import { countTries } from '../../store/statements/tries.ts';
import type { Deps } from '../deps.ts';
import { found, Problem } from '../problem.ts';
import { comeBack, type Asking } from './come-back.ts';

/** A sign-up as it comes in; the address is as it was typed. */
export interface SignUpRequest extends Asking {
  listId: number;
  way: 'form' | 'api';
}

const MOST_OF_ADDRESS_AN_HOUR = 3;
const MOST_OF_NETWORK_AN_HOUR = 30;
/** More than any list's form gets in an hour: a flood by many networks ends here. */
const MOST_OF_LIST_AN_HOUR = 2000;

/**
 * Takes a sign-up. Whoever asks learns nothing about the address: it is the same answer whether it is new, subscribed
 * already, has left, complained, or may never be written to. What becomes of it stands in the sign-up's row.
 * @throws Problem invalid-input for what is no address, too-many-tries for a network that signs up too many, or a
 * list at which too many sign up
 */
export async function signUp(deps: Deps, { listId, ...asking }: SignUpRequest): Promise<void> {
  const list = found(await deps.database.getRepository(ListEntity).findOneBy({ id: listId }), `list ${listId}`);
  const parsed = parseAddress(asking.address);
  if (!parsed.ok) throw new Problem('invalid-input', 'This is not an email address.', { field: 'address' });
  const keys = [
    `address ${addressHash(baseAddress(parsed.address))}`,
    ...(asking.network === null ? [] : [`network ${networkBlock(asking.network)}`]),
  ];
  const [ofAddress = 0, ofNetwork = 0] = await countTries(deps.database, keys, deps.now());
  if (ofNetwork > MOST_OF_NETWORK_AN_HOUR)
    throw new Problem('too-many-tries', 'There were too many sign-ups from this network. Please try again in an hour.');
  if (ofAddress > MOST_OF_ADDRESS_AN_HOUR) return;
  // Counted last, so that whoever is turned away already uses up nothing that others need.
  const [ofList = 0] = await countTries(deps.database, [`list ${listId}`], deps.now());
  if (ofList > MOST_OF_LIST_AN_HOUR)
    throw new Problem('too-many-tries', 'There were too many sign-ups for this list. Please try again in an hour.');
  await comeBack(deps, list, { ...asking, address: parsed.address });
}
