import type { Answer, Contract, Given } from '../shared/contract/contract.ts';
import type { Contracts } from '../shared/contract/index.ts';
import { ROUTE_TABLE } from './route-table.ts';
import { makeSender, type ClientOptions, type Query, type Sender } from './send.ts';

/** A call of one contract: what is said goes in as one object, and needs not be there where nothing has to be said. */
type Call<C extends Contract> =
  Record<never, never> extends Given<C>
    ? (given?: Given<C>) => Promise<Answer<C>>
    : (given: Given<C>) => Promise<Answer<C>>;

/** The service as typed calls, one a contract; every call answers the parsed body or throws a Refusal. */
export type Client = { [Name in keyof Contracts]: Call<Contracts[Name]> };

type Row = readonly [method: string, path: string, raw?: string];

/** The client of the service at `base`, with the credentials given. */
export function makeClient(options: ClientOptions): Client {
  const send = makeSender(options);
  const calls = Object.entries(ROUTE_TABLE).map(([name, row]) => [name, makeCall(send, row)]);
  return Object.fromEntries(calls) as Client;
}

/** What is given goes where the contract has it: into the path, the body, or the query where the body is a file. */
function makeCall(send: Sender, [method, path, raw]: Row): (given?: Record<string, unknown>) => Promise<unknown> {
  return (given = {}) => {
    const rest = { ...given };
    const filled = path.replace(/:(\w+)/g, (_, name: string) => {
      const value = String(rest[name]);
      delete rest[name];
      return encodeURIComponent(value);
    });
    if (raw !== undefined) {
      const { file, ...query } = rest;
      return send(method, filled, { query: query as Query, file: file as Blob, type: raw });
    }
    return send(method, filled, method === 'POST' || method === 'PATCH' ? { body: rest } : { query: rest as Query });
  };
}
