import { readdirSync, readFileSync } from 'node:fs';
import { dirname, join, normalize, sep } from 'node:path';
import { expect, test } from '@jest/globals';

/** Every source file, from the root of the project. */
const files = (folder: string): string[] =>
  readdirSync(folder, { withFileTypes: true }).flatMap((one) => {
    const path = join(folder, one.name);
    return one.isDirectory() ? files(path) : /\.tsx?$/.test(path) ? [path] : [];
  });

/** Which folders of a layer each folder of it imports from, by the files that do. */
function arrowsOf(layer: string): Map<string, Map<string, string>> {
  const arrows = new Map<string, Map<string, string>>();
  // The folder of a file right below its layer; nothing for a file that lies in no folder, or in another layer.
  const roomOf = (file: string): string | undefined =>
    file.startsWith(`${layer}/`) && file.split(sep).length > 3 ? file.split(sep)[2] : undefined;
  for (const file of files(layer))
    for (const [, path] of readFileSync(file, 'utf8').matchAll(/(?:from|import\() ?'(\.[^']+)'/g)) {
      const [from, to] = [roomOf(file), roomOf(normalize(join(dirname(file), path!)))];
      if (from === undefined || to === undefined || from === to) continue;
      arrows.set(from, (arrows.get(from) ?? new Map<string, string>()).set(to, file));
    }
  return arrows;
}

/**
 * Folders that import each other, over however many others: those that are left when all that hang on none are taken
 * away.
 */
function inCircles(arrows: Map<string, Map<string, string>>): string[] {
  const left = new Map([...arrows].map(([from, to]) => [from, new Map(to)]));
  for (let before = -1; before !== left.size;) {
    before = left.size;
    for (const [from, to] of left) {
      for (const folder of to.keys()) if (!left.has(folder)) to.delete(folder);
      if (to.size === 0) left.delete(from);
    }
  }
  return [...left].flatMap(([from, to]) => [...to].map(([folder, file]) => `${from} → ${folder}, by ${file}`));
}

const layers = readdirSync('src', { withFileTypes: true }).filter((one) => one.isDirectory());

test.each(layers.map(({ name }) => [name]))('no folders of %s import each other, also not around corners', (layer) => {
  expect(inCircles(arrowsOf(`src/${layer}`))).toEqual([]);
});

test('folders that do are found', () => {
  const arrows = new Map([
    ['a', new Map([['b', 'a/1.ts']])],
    ['b', new Map([['c', 'b/1.ts']])],
    ['c', new Map([['a', 'c/1.ts']])],
    ['d', new Map([['a', 'd/1.ts']])],
    ['e', new Map([['f', 'e/1.ts']])],
  ]);
  expect(inCircles(arrows).filter((arrow) => !arrow.startsWith('d'))).toHaveLength(3);
  expect(inCircles(arrows).some((arrow) => arrow.startsWith('e'))).toBe(false);
  // There is something to look at.
  expect(arrowsOf('src/operations').size).toBeGreaterThan(10);
});
