import type { CountedLine } from '../../../shared/contract/conditions.ts';

/** How the parts of a group are put together. */
export type Joining = 'all' | 'any' | 'none' | 'not-all';

/** A condition as nested rows: each part is its own text, each group a word and its parts. */
export type Row = Part | Group;

export interface Part {
  kind: 'part';
  key: number;
  text: string;
}

export interface Group {
  kind: 'group';
  key: number;
  joining: Joining;
  rows: Row[];
}

const HEADS: Readonly<Record<string, Joining>> = {
  'all of these': 'all',
  'any of these': 'any',
  'none of these': 'none',
  'not all of these': 'not-all',
};
export const WORDS: Readonly<Record<Joining, string>> = {
  all: 'all of these',
  any: 'any of these',
  none: 'none of these',
  'not-all': 'not all of these',
};

/** Whether a group takes out whoever matches. */
export const leavesOut = (joining: Joining): boolean => joining === 'none' || joining === 'not-all';

/** What a part says where its group says “not” already. */
export const withoutNot = (text: string): string => text.replace(/^\s*not\s+/, '');

let latestKey = 0;
export const makePart = (text = ''): Part => ({ kind: 'part', key: ++latestKey, text });
export const makeGroup = (joining: Joining, rows: Row[]): Group => ({ kind: 'group', key: ++latestKey, joining, rows });

/** The rows of a counted condition; what is one part alone stands in a group of its own, so that others can join it. */
export function readRows(lines: readonly Pick<CountedLine, 'depth' | 'text'>[]): Group {
  let at = 0;
  const read = (depth: number): Row => {
    const { text } = lines[at++]!;
    const joining = HEADS[text];
    if (!joining) return makePart(text);
    const rows: Row[] = [];
    while (at < lines.length && lines[at]!.depth > depth) rows.push(read(depth + 1));
    return makeGroup(joining, rows);
  };
  const root = lines.length === 0 ? makeGroup('all', []) : read(0);
  return root.kind === 'group' ? root : makeGroup('all', [root]);
}

/** Where each row's own text stands in the whole, and the line of its count. */
export interface Written {
  text: string;
  /** `line` is -1 where a row has no count of its own. */
  places: Map<number, { from: number; to: number; line: number }>;
  /** How many lines the service counts for it. */
  lines: number;
}

/** The text of rows. Parts that are empty still, and groups of them, are left out. */
export function writeRows(root: Group): Written {
  const places: Written['places'] = new Map();
  let text = '';
  let line = 0;
  const part = (row: Part): void => {
    places.set(row.key, { from: text.length, to: text.length + row.text.trim().length, line: line++ });
    text += row.text.trim();
  };
  const group = (row: Group, inner: boolean): void => {
    const rows = row.rows.filter(isFilled);
    const negated = leavesOut(row.joining);
    const from = text.length;
    const own = rows.length > 1 || negated ? line++ : -1;
    const brackets = negated || (inner && rows.length > 1);
    if (negated) text += 'not ';
    if (brackets) text += '(';
    rows.forEach((one, index) => {
      if (index > 0) text += row.joining === 'all' || row.joining === 'not-all' ? '\nand ' : '\nor ';
      // A single part within “not” has no line of its own.
      const before = line;
      if (one.kind === 'part') part(one);
      else group(one, rows.length > 1 || negated);
      if (negated && rows.length === 1) {
        line = before;
        places.set(one.key, { ...places.get(one.key)!, line: -1 });
      }
    });
    if (brackets) text += ')';
    places.set(row.key, { from, to: text.length, line: own >= 0 ? own : line - 1 });
  };
  if (isFilled(root)) group(root, false);
  return { text, places, lines: line };
}

function isFilled(row: Row): boolean {
  return row.kind === 'part' ? row.text.trim() !== '' : row.rows.some(isFilled);
}

/** The rows with one changed; null takes it out. */
export function changeRow<T extends Row>(root: T, key: number, change: (row: Row) => Row | null): T {
  if (root.kind === 'part') return root;
  const rows = root.rows.flatMap((row) => {
    const changed = row.key === key ? change(row) : changeRow(row, key, change);
    return changed === null ? [] : [changed];
  });
  const itself = root.key === key ? change(root) : root;
  return { ...(itself?.kind === 'group' ? itself : root), ...(root.key === key ? {} : { rows }) } as T;
}

/** The parts in their order, as they are numbered. */
export function listParts(root: Row): Part[] {
  return root.kind === 'part' ? [root] : root.rows.flatMap(listParts);
}
