import { readFileSync } from 'node:fs';
import { describe, expect, test } from '@jest/globals';
import type Joi from 'joi';
import { apiPage } from '../../src/service/http/api-page.ts';
import { routeTableText } from '../../src/service/http/route-table-text.ts';
import { consentMarkdown } from '../../src/core/consent/consent-table.ts';
import type { Contract } from '../../src/shared/contract/contract.ts';
import { CONTRACTS, THINGS } from '../../src/shared/contract/index.ts';

const all = Object.entries<Contract>(CONTRACTS);
const keysOf = (schema: Joi.ObjectSchema | undefined): Record<string, Joi.Description> =>
  (schema?.describe().keys ?? {}) as Record<string, Joi.Description>;

describe('the contracts of the API', () => {
  test('each has a name and a path of its own', () => {
    expect(all.length).toBeGreaterThan(150);
    const count = Object.values(THINGS).reduce((sum, contracts) => sum + Object.keys(contracts).length, 0);
    expect(all).toHaveLength(count);
    expect(new Set(all.map(([, { method, path }]) => `${method} ${path}`)).size).toBe(count);
  });

  test.each(all)('%s says what it answers, which fields are always there, and a true example', (_, contract) => {
    const { path, params, query, body, filled = [], answer, answers, status, example, raw } = contract;
    expect([answer !== undefined, answers !== undefined, status === 204].filter(Boolean)).toHaveLength(1);
    // Fields that have a value whether or not it was given are those with a default.
    const fields = { ...keysOf(query), ...keysOf(body) };
    const defaults = Object.keys(fields).filter(
      (name) => (fields[name]!.flags as { default?: unknown } | undefined)?.default !== undefined,
    );
    expect([...filled].sort()).toEqual(defaults.sort());
    expect(Object.keys(keysOf(params)).sort()).toEqual([...path.matchAll(/:(\w+)/g)].map(([, name]) => name).sort());
    // The client tells the query and the body apart by the method alone.
    expect(query !== undefined && body !== undefined).toBe(false);
    if (body !== undefined) expect(['post', 'patch']).toContain(contract.method);
    const given = example as Record<string, unknown>;
    for (const schema of [params, query, body]) {
      const mine = Object.entries(given).filter(([name]) => name in keysOf(schema));
      if (schema) expect(schema.validate(Object.fromEntries(mine)).error).toBeUndefined();
    }
    const known = { ...keysOf(params), ...fields, ...(raw === undefined ? {} : { file: true }) };
    expect(Object.keys(given).filter((name) => !(name in known))).toEqual([]);
  });
});

describe('what is written by `npm run generate` is as the code says', () => {
  const between = (page: string): string =>
    /<!-- printed by npm run generate -->\n\n([\s\S]*?)\n\n<!-- end -->/.exec(readFileSync(page, 'utf8'))![1]!;

  test('the table of routes of the client', () =>
    expect(readFileSync('src/client/route-table.ts', 'utf8')).toBe(routeTableText(CONTRACTS)));
  test('docs/api.md', () => expect(between('docs/api.md')).toBe(apiPage(THINGS)));
  test('docs/consent.md', () => expect(between('docs/consent.md')).toBe(consentMarkdown()));
});
