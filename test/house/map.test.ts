import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { expect, test } from '@jest/globals';

/** Pages that lead into the sources, for whoever comes new. */
const MAPS = [
  'ARCHITECTURE.md',
  'CONTRIBUTING.md',
  ...readdirSync('docs/decisions').map((page) => `docs/decisions/${page}`),
];

test.each(MAPS)('every file and folder that %s names is there', (map) => {
  const named = [...readFileSync(map, 'utf8').matchAll(/`((?:src|test|bench|docs|scripts|bin)\/[^`<*]*)`/g)].map(
    ([, path]) => path!,
  );
  expect(named.length).toBeGreaterThan(0);
  expect(named.filter((path) => !existsSync(path))).toEqual([]);
});

test('what the map says is in a file is in it', () => {
  const map = readFileSync('ARCHITECTURE.md', 'utf8');
  const inFiles = [...map.matchAll(/((?:`\w+`(?: and )?)+) in `(src\/[^`]+\.tsx?)`/g)];
  expect(inFiles.length).toBeGreaterThan(3);
  for (const [, names, path] of inFiles)
    for (const [, name] of names!.matchAll(/`(\w+)`/g))
      expect([path, name, readFileSync(path!, 'utf8').includes(name!)]).toEqual([path, name, true]);
});

test('every room of operations stands in the map', () => {
  const map = readFileSync('ARCHITECTURE.md', 'utf8');
  const rooms = readdirSync('src/operations', { withFileTypes: true }).filter((one) => one.isDirectory());
  expect(rooms.map(({ name }) => name).filter((name) => !map.includes(`\`${name}/\``))).toEqual([]);
});
