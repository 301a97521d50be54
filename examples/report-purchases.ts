/**
 * Tells Avendel of a shop's purchases: JSON Lines of orders on standard input, as
 * {"order": "4711", "at": "2026-11-20T18:02:00Z", "address": "ana@quillmail.example", "what": "planisphere"}
 *
 * Usage: report-purchases BRAND-NUMBER < orders.jsonl
 *
 * Each order is one event with the order's number as its own: sent again, it counts once. So a run that was cut off is
 * simply started again. A purchase by somebody who is no contact yet is kept aside until they are one.
 */
import { createInterface } from 'node:readline';

interface Order {
  order: string;
  at: string;
  address: string;
  what: string;
}

/** A refusal (RFC 9457); `next` says what to do. */
interface Problem {
  title: string;
  detail: string;
  next: string;
}

interface Taken {
  recorded: number;
  refused: { line: number; detail: string }[];
}

const service = process.env.AVENDEL_SERVICE ?? 'http://127.0.0.1:7400';
const token = process.env.AVENDEL_TOKEN ?? '';
const AT_ONCE = 1000;

async function send(orders: Order[], brandId: number): Promise<number> {
  const events = orders.map(({ order, at, address, what }) => ({
    kind: 'purchased',
    source: 'shop',
    externalId: order,
    at,
    address,
    what,
    brandId,
  }));
  const answer = await fetch(`${service}/api/v1/events?unknown=keep`, {
    method: 'POST',
    headers: { authorization: `Bearer ${token}`, 'content-type': 'application/x-ndjson' },
    body: events.map((event) => JSON.stringify(event)).join('\n'),
  });
  if (!answer.ok) {
    const { title, detail, next } = (await answer.json()) as Problem;
    throw new Error(`${title}: ${detail} ${next}`);
  }
  const { recorded, refused } = (await answer.json()) as Taken;
  for (const { line, detail } of refused) console.error(`order ${orders[line - 1]!.order}: ${detail}`);
  return recorded;
}

const brandId = Number(process.argv[2]);
if (!Number.isInteger(brandId)) {
  console.error('Say which brand: report-purchases BRAND-NUMBER < orders.jsonl');
  process.exit(2);
}
let total = 0;
const waiting: Order[] = [];
for await (const line of createInterface({ input: process.stdin })) {
  if (line.trim() !== '') waiting.push(JSON.parse(line) as Order);
  if (waiting.length >= AT_ONCE) total += await send(waiting.splice(0), brandId);
}
if (waiting.length > 0) total += await send(waiting, brandId);
console.log(`${total} purchases recorded`);
