import { makeTokenizer } from '../src/core/message/token.ts';
import { checkTyped } from '../src/operations/messages/check-typed.ts';
import type { Deps } from '../src/operations/deps.ts';
import { overWholeSet } from '../src/store/database.ts';
import { median } from './measuring.ts';
import { seconds, type Measured } from './support.ts';

const ROUNDS = 5;
/** About 100 kB, with links, pictures and two merge fields. */
const PARAGRAPH =
  '<p>Dear [[first_name else "stargazer"]], the nights are long now: your seat is [[seat else "any"]]. <a href="https://larkfield.example/december">Read on</a> <img src="https://larkfield.example/a.png" alt="Jupiter"></p>\n';
const HTML = PARAGRAPH.repeat(Math.ceil(100_000 / PARAGRAPH.length));

/**
 * The check of a message of 100 kB against the readers of some lists in a base of a million, nothing remembered, beside
 * one second; the figures it counts are held to those of a statement by hand.
 */
export async function measureMessageCheck(deps: Deps, brandId: number, listIds: number[]): Promise<Measured> {
  await deps.database.query(
    `UPDATE contact SET attributes = attributes || '{"seat": "B 4"}' WHERE id = (SELECT max(id) FROM contact)`,
  );
  const typed = {
    brandId,
    purpose: 'marketing' as const,
    statement: '',
    format: 'html' as const,
    subject: 'For [[first_name else "you"]]',
    previewLine: '',
    html: HTML,
    text: '',
    countLinks: false,
    listIds,
    leftOutListIds: [],
    segmentIds: [],
    leftOutSegmentIds: [],
  };
  const tokens = makeTokenizer([{ version: 1, secret: Buffer.alloc(32) }]);
  const times: number[] = [];
  const byHand: number[] = [];
  let [found, readers] = [0, 0];
  for (let round = 0; round < ROUNDS; round++) {
    byHand.push(
      await seconds(() =>
        overWholeSet(deps.database, async (sql) => {
          const [row] = await sql.query<{ n: number }[]>(
            `SELECT count(*) FILTER (WHERE coalesce(c.attributes ->> 'seat', '') = '')::int AS n FROM contact c WHERE c.archived_at IS NULL AND c.erased_at IS NULL
               AND EXISTS (SELECT FROM subscription s WHERE s.contact_id = c.id AND s.list_id = ANY ($1) AND s.state = 'subscribed')`,
            [listIds],
          );
          found = row!.n;
        }),
      ),
    );
    deps.remembered.clear();
    let said = '';
    times.push(
      await seconds(async () => {
        const { findings, readers: all } = await checkTyped(
          { ...deps, tokens, publicUrl: 'https://t.larkfield.example' },
          typed,
        );
        readers = all;
        said = findings.find(({ lacking }) => lacking === 'seat')?.title ?? 'nobody';
      }),
    );
    if (!said.startsWith(found.toLocaleString('en-GB'))) throw new Error(`by hand ${found} lack a seat; ${said}`);
  }
  const middle = median([...times]);
  process.stderr.write(
    `Check of ${HTML.length} characters: ${middle.toFixed(2)} s in the middle, ${Math.max(...times).toFixed(2)} s at most; the count by hand ${median(byHand).toFixed(2)} s\n`,
  );
  return {
    name: `the check of a message of 100 kB, ${readers.toLocaleString('en-GB')} readers of 1,000,000, beside 1 s`,
    unit: 'checks/s',
    ours: 1 / middle,
    bare: 1,
    wanted: 1,
    peakMb: process.memoryUsage().rss / 1e6,
  };
}
