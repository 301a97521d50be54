import type { Contract } from '../../shared/contract/contract.ts';

/** The text of src/client/route-table.ts: each contract's method and path, without its schemas. */
export function routeTableText(contracts: Readonly<Record<string, Contract>>): string {
  const rows = Object.entries(contracts).map(([name, { method, path, raw }]) => {
    const row = [method.toUpperCase(), path, ...(raw === undefined ? [] : [raw.split(' or ').at(-1)!])];
    return `  ${name}: [${row.map((one) => `'${one}'`).join(', ')}],`;
  });
  return `import type { Contracts } from '../shared/contract/index.ts';

/**
 * Method, path and media type of an upload by the name of the call: what the client has to know of the contracts when
 * it runs, without their schemas, which are large. Written by \`npm run generate\`.
 */
export const ROUTE_TABLE: Readonly<Record<keyof Contracts, readonly [method: string, path: string, raw?: string]>> = {
${rows.join('\n')}
};
`;
}
