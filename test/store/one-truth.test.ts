import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { decideStage, DEFAULT_SUNSET_RULE, type SunsetRule } from '../../src/core/rules/sunset-ladder.ts';
import { checkAddress } from '../../src/operations/contacts/explain-verdict.ts';
import { recordEvents } from '../../src/operations/events/record-events.ts';
import { addEntries, createSuppressionList } from '../../src/operations/suppression/keep-entries.ts';
import { createBrand, createList } from '../../src/operations/organisation/set-up.ts';
import { makeRandom } from '../../src/simulator/world/random.ts';
import { JUDGE_PICKED_CTES, messageParameters, REASONS_SQL } from '../../src/store/statements/eligibility.ts';
import { countPreflight, listPreflight } from '../../src/store/statements/preflight.ts';
import { inTransaction } from '../../src/store/database.ts';
import { findDecidedStage } from '../../src/store/statements/sunset-stages.ts';
import { addressHash } from '../../src/core/address/suppression-keys.ts';
import { makeDeps } from '../support/database.ts';
import { importText, makePastCampaigns, makeSmallWorld, outside, type SmallWorld } from '../support/world.ts';

describe('invariant 11, one truth', () => {
  let deps: Awaited<ReturnType<typeof makeDeps>>;
  let world: SmallWorld;
  let campaigns: { id: number; at: number }[];
  const random = makeRandom(11);

  beforeAll(async () => {
    deps = await makeDeps();
    world = await makeSmallWorld(deps, 60);
    campaigns = await makePastCampaigns(deps, world, 30);
    const events = [];
    for (const [contact] of world.contactIds.entries()) {
      const written = random.whole(0, 30);
      for (const campaign of campaigns.slice(30 - written)) {
        events.push(outside(world, 'sent', contact, campaign, campaign.at));
        if (random.chance(0.05))
          events.push(
            outside(world, 'clicked', contact, campaign, campaign.at + 60_000, { link: 1, userAgent: 'Mail' }),
          );
        if (random.chance(0.03))
          events.push(outside(world, 'bounced', contact, campaign, campaign.at + 9000, { class: 'soft' }));
      }
    }
    await recordEvents(deps, events);
  });
  afterAll(() => deps.close());

  test('the stage of every contact is the same in SQL as in core, over generated histories and rules', async () => {
    const rules: SunsetRule[] = [
      DEFAULT_SUNSET_RULE,
      { ...DEFAULT_SUNSET_RULE, grace: { days: 0, messages: 3 }, engagingActs: ['replied'] },
      {
        steps: [
          { stage: 'fading', days: 5, messages: 1 },
          { stage: 'dormant', days: 40, messages: 4 },
          { stage: 'sunset', days: 100, messages: 9 },
        ],
        grace: { days: 1, messages: 1 },
        engagingActs: ['clicked'],
      },
    ];
    const seen = new Set<string>();
    for (const rule of rules) {
      for (const contactId of world.contactIds) {
        const facts = await silenceFacts(contactId, rule);
        const expected = decideStage(rule, facts, deps.now().getTime());
        const found = await findDecidedStage(deps.database, world.brandId, rule, deps.now(), contactId);
        expect({ stage: found!.stage, silentDays: found!.silentDays, messages: found!.messages }).toEqual(expected);
        seen.add(found!.stage);
      }
    }
    expect([...seen].sort()).toEqual(['dormant', 'engaged', 'fading', 'new', 'sunset']);
  });

  /** The facts, worked out one event after the other, in the plainest way there is. */
  async function silenceFacts(contactId: number, rule: SunsetRule): Promise<Parameters<typeof decideStage>[1]> {
    const events: { kind: string; actor: string; at: Date; campaign_id: number }[] = await deps.database.query(
      'SELECT kind, actor, occurred_at AS at, campaign_id FROM event WHERE contact_id = $1',
      [contactId],
    );
    const joinedAt = Date.parse('2025-01-01');
    const engaged = events
      .filter(
        (event) =>
          (rule.engagingActs as string[]).includes(event.kind) && (event.actor === 'human' || event.kind === 'replied'),
      )
      .map((event) => event.at.getTime());
    const bounced = new Set(events.filter((event) => event.kind === 'bounced').map((event) => event.campaign_id));
    const reached = events
      .filter((event) => event.kind === 'sent' && !bounced.has(event.campaign_id))
      .map((event) => event.at.getTime());
    const engagedAt = engaged.length > 0 ? Math.max(...engaged) : undefined;
    const since = Math.max(joinedAt, engagedAt ?? 0);
    return {
      joinedAt,
      engagedAt,
      restartedAt: undefined,
      messagesInSilence: reached.filter((at) => at > since).length,
      messagesEver: reached.length,
    };
  }

  test('the verdict on every contact is the same in SQL as in core, over generated entries, subscriptions and marks', async () => {
    const shop = await createBrand(deps, {
      name: 'Larkfield Shop',
      fromAddress: 'shop@larkfield.example',
      returnDomain: 'r.larkfield.example',
      zone: 'UTC',
    });
    const members = await createList(deps, { brandId: world.brandId, name: 'Members', optIn: 'double' });
    const strange = [
      'ana+moon@quillmail.example',
      'ana@quillmail.example',
      'deep@a.b.campusnet.example',
      'top@campusnet.example',
      'hash@lanternpost.example',
    ];
    await importText(
      deps,
      members.id,
      ['address', ...strange, ...world.addresses.slice(50), 'waiting@quillmail.example'].join('\n'),
    );
    await importText(deps, world.listId, ['address', ...strange].join('\n'));
    const scopes = [
      { scope: 'organisation' as const, scopeId: null },
      { scope: 'brand' as const, scopeId: world.brandId },
      { scope: 'brand' as const, scopeId: shop.id },
      { scope: 'list' as const, scopeId: world.listId },
    ];
    const values = [
      'ana@quillmail.example',
      '.campusnet.example',
      addressHash('hash@lanternpost.example'),
      ...world.addresses.slice(0, 12),
    ];
    for (const [index, value] of values.entries()) {
      const list = await createSuppressionList(deps, {
        name: `list ${index}`,
        ...scopes[index % 4]!,
        reach: index % 3 === 0 ? 'everything' : 'marketing',
        exact: index === 4,
      });
      await addEntries(deps, {
        listId: list.id,
        values: [value],
        reason: 'test',
        expiresAt: null,
        actor: 'Rosa Lindgard',
      });
    }
    const at = deps.now().getTime() - 1000;
    await recordEvents(deps, [
      ...[13, 14].map((contact) => outside(world, 'complained', contact, campaigns[29]!, at)),
      ...[15, 16].map((contact) => outside(world, 'unsubscribed', contact, null, at)),
      ...[17, 18].map((contact) => outside(world, 'unsubscribed', contact, null, at, { lists: [world.listId] })),
      ...[19, 20].map((contact) => outside(world, 'bounced', contact, campaigns[29]!, at, { class: 'hard' })),
    ]);
    await deps.database.query('UPDATE contact SET archived_at = now() WHERE id = $1', [world.contactIds[21]]);
    await deps.database.query('UPDATE contact SET erased_at = now() WHERE id = $1', [world.contactIds[22]]);

    const message = {
      campaignId: 0,
      brandId: world.brandId,
      purpose: 'marketing' as const,
      listIds: [world.listId, members.id],
      leftOutListIds: [],
    };
    const { rows: counted } = await countPreflight(deps.database, message, 0);
    const bySql = new Map<string, string[]>();
    for (const { reason } of counted)
      for (const row of await listPreflight(deps.database, message, reason, 0, 1000))
        bySql.set(row.address, row.reasons);
    expect(bySql.size).toBe(66);
    for (const [address, reasons] of bySql) {
      const verdict = (await checkAddress(deps, address)).brands.find(({ brandId }) => brandId === world.brandId)!;
      expect([address, verdict.reasons]).toEqual([address, reasons]);
    }
    const [{ id: stranger }]: [{ id: string }] = await deps.database.query(
      `INSERT INTO contact (address) VALUES ('nobody@quillmail.example') RETURNING id`,
    );
    // Whole audiences are matched by value, by contact or through lists, and the gate judges by contact: all must
    // agree.
    for (const variant of [
      { listIds: [members.id] },
      { listIds: [world.listId] },
      { listIds: [members.id], leftOutListIds: [world.listId] },
      { listIds: [members.id], purpose: 'service' as const },
      { brandId: shop.id, listIds: [members.id] },
      // By a segment, permission rests on any list of the brand; somebody in it has none.
      { listIds: [members.id], bySegments: { takenIn: true, leftOut: false } },
      { listIds: [], bySegments: { takenIn: true, leftOut: false } },
    ]) {
      const other = { ...message, ...variant };
      const whole = new Map<string, string[]>();
      const judged = await inTransaction(deps.database, async (sql) => {
        await sql.query(
          'CREATE TEMP TABLE taken_in ON COMMIT DROP AS SELECT id FROM contact WHERE id % 3 = 0 OR id = $1',
          [stranger],
        );
        if (!('bySegments' in variant)) await sql.query('TRUNCATE taken_in');
        for (const { reason } of (await countPreflight(sql, other, 0)).rows)
          for (const row of await listPreflight(sql, other, reason, 0, 1000)) whole.set(row.address, row.reasons);
        const rows: { address: string; reasons: string[] }[] = await sql.query(
          `WITH picked AS (SELECT id AS contact_id, true AS by_segment FROM taken_in
             UNION SELECT contact_id, false FROM subscription WHERE list_id = ANY($4::int[]) AND contact_id NOT IN (SELECT id FROM taken_in)), ${JUDGE_PICKED_CTES}
           SELECT j.address, ${REASONS_SQL} AS reasons FROM judged j`,
          messageParameters(other),
        );
        return rows;
      });
      expect(judged.length).toBeGreaterThan(10);
      expect(whole).toEqual(new Map(judged.map((row) => [row.address, row.reasons])));
    }
    expect(new Set([...bySql.values()].flat())).toEqual(
      new Set(['erased', 'archived', 'undeliverable', 'suppressed', 'complained', 'unsubscribed', 'unconfirmed']),
    );
  });
});
