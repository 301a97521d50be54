import { makeTokenizer, type TokenUse } from '../src/core/message/token.ts';
import { median, withClient } from './measuring.ts';
import { requestTimes, startHelper, type BenchService, type Measured } from './support.ts';

const REQUESTS = 7000;
/**
 * Bare, pixel and redirect by turns, so that what else goes on meets all three; the median counts. Each link is asked
 * for some ten times in all: more of the same within an hour would not be recorded one by one.
 */
const ROUNDS = 3;
const CONNECTIONS = 64;
/** Milliseconds within which 99 of 100 requests should be answered at half the load. */
const SLOWEST_MS = 60;

/**
 * Pixel and redirect with their durable events, beside a bare handler that records nothing; and how long the slow ones
 * take at half the load.
 */
export async function measureTracking(service: BenchService, barePort: number): Promise<Measured[]> {
  const bareServer = await startHelper('bare-pixel.js', String(barePort));
  const bareUrl = [`http://127.0.0.1:${barePort}/seen/x.gif`];
  const pixels = await urlsOf(service, 'open', (token) => `/seen/${token}.gif`);
  const links = await urlsOf(service, 'click', (token) => `/to/${token}`);
  const [bare, pixel, redirect] = await ratesByTurns([bareUrl, pixels, links]);
  const half = await requestTimes([...pixels, ...links], REQUESTS, CONNECTIONS / 2);
  bareServer.stop();
  const row = { unit: 'requests/s', bare, wanted: 0.4, peakMb: service.peakMb() };
  return [
    { ...row, name: 'pixel with its durable event', ours: pixel },
    { ...row, name: 'redirect with its durable event', ours: redirect },
    {
      ...row,
      name: 'answered within 60 ms at half the load, of 100',
      unit: 'requests',
      ours: half.within(SLOWEST_MS) * 100,
      bare: 100,
      wanted: 0.99,
    },
  ];
}

/** Requests a second of each, in the order given. */
async function ratesByTurns(ways: [string[], string[], string[]]): Promise<[number, number, number]> {
  for (const urls of ways) await requestTimes(urls, 2000, CONNECTIONS);
  const rates = ways.map((): number[] => []);
  for (let round = 0; round < ROUNDS; round++)
    for (const [place, urls] of ways.entries())
      rates[place]!.push((await requestTimes(urls, REQUESTS, CONNECTIONS)).rate);
  return rates.map(median) as [number, number, number];
}

function urlsOf(service: BenchService, use: TokenUse, path: (token: string) => string): Promise<string[]> {
  return withClient(service.databaseUrl, async (client) => {
    const keys = (await client.query<{ version: number; secret: Buffer }>('SELECT version, secret FROM token_key'))
      .rows;
    const { rows } = await client.query<{ campaign_id: number; contact_id: string; link: number }>(
      `SELECT d.campaign_id, d.contact_id, (SELECT max(number) FROM campaign_link l WHERE l.campaign_id = d.campaign_id) AS link
       FROM delivery d WHERE d.state = 'accepted' LIMIT 2000`,
    );
    const tokens = makeTokenizer(keys);
    return rows.map(
      (row) =>
        service.public +
        path(
          tokens.make({
            use,
            campaignId: row.campaign_id,
            contactId: Number(row.contact_id),
            link: use === 'click' ? row.link : 0,
          }),
        ),
    );
  });
}
