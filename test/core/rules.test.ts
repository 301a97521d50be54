import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { judgeActs, type ActFacts, type MessageFacts } from '../../src/core/activity/judge-actor.ts';
import { makeIsProxy } from '../../src/operations/events/proxy-list.ts';
import { healthRates } from '../../src/core/health/rates.ts';
import {
  decideDeliverability,
  DEFAULT_BOUNCE_RULE,
  type BounceRule,
  type DeliverabilityFact,
} from '../../src/core/rules/bounce-count.ts';
import { DEFAULT_SCORE_RULE, reportScoreProblems, scoreOf, type ScoreRule } from '../../src/core/rules/score.ts';
import { DAY_MS, decideStage, DEFAULT_SUNSET_RULE, reportLadderProblems } from '../../src/core/rules/sunset-ladder.ts';
import type { Actor, EventKind } from '../../src/shared/words.ts';

const NOW = Date.UTC(2026, 10, 20);
const ago = (days: number): number => NOW - days * DAY_MS;
const soft = (days: number, campaignId: number): DeliverabilityFact => ({
  kind: 'bounced',
  bounceClass: 'soft',
  at: ago(days),
  campaignId,
  eventId: `s${days}-${campaignId}`,
});

describe('bounce count', () => {
  const ever: BounceRule = { ...DEFAULT_BOUNCE_RULE, withinDays: 0, onCampaigns: 1, spreadDays: 0, startsAgain: false };
  const decide = (facts: DeliverabilityFact[]): string =>
    decideDeliverability(DEFAULT_BOUNCE_RULE, facts, NOW).deliverability;

  test('as “three, ever”: however long apart, whatever was accepted or done between; a verified delivery or a person still ends it', () => {
    const decideEver = (facts: DeliverabilityFact[]): string => decideDeliverability(ever, facts, NOW).deliverability;
    const between: DeliverabilityFact[] = [
      { kind: 'accepted', at: NOW - 300 * DAY_MS, campaignId: 7 },
      { kind: 'engaged', at: NOW - 5 * DAY_MS },
    ];
    expect(decideEver([soft(900, 1), soft(400, 2), soft(1, 1)])).toBe('undeliverable');
    expect(decideEver([soft(900, 1), ...between, soft(400, 2), soft(1, 1)])).toBe('undeliverable');
    expect(decide([soft(40, 1), soft(10, 2), { kind: 'engaged', at: NOW - 5 * DAY_MS }, soft(1, 3)])).toBe('doubtful');
    expect(decideEver([soft(900, 1), soft(400, 2)])).toBe('doubtful');
    for (const kind of ['delivered', 'lifted'] as const)
      expect(decideEver([soft(900, 1), soft(400, 2), { kind, at: NOW - 3 * DAY_MS }, soft(1, 1)])).toBe('doubtful');
  });

  test('three soft bounces on three campaigns within 45 days and two days apart mark; fewer, closer, older or on fewer campaigns do not', () => {
    expect(decide([soft(20, 1), soft(10, 2), soft(1, 3)])).toBe('undeliverable');
    expect(decide([soft(20, 1), soft(10, 2)])).toBe('doubtful');
    expect(decide([soft(20, 1), soft(10, 2), soft(1, 2)])).toBe('doubtful');
    expect(decide([soft(1.9, 1), soft(1.5, 2), soft(1, 3)])).toBe('doubtful');
    expect(decide([soft(60, 1), soft(50, 2), soft(1, 3)])).toBe('doubtful');
    expect(decide([soft(80, 1)])).toBe('deliverable');
  });

  test('an engagement, or an acceptance that stood for three days, starts the count again; a fresh or bounced one does not', () => {
    expect(decide([soft(20, 1), soft(10, 2), { kind: 'engaged', at: ago(5) }, soft(1, 3)])).toBe('doubtful');
    expect(decide([soft(20, 1), soft(12, 2), { kind: 'accepted', at: ago(9), campaignId: 9 }, soft(1, 3)])).toBe(
      'doubtful',
    );
    expect(decide([soft(20, 1), soft(10, 2), { kind: 'accepted', at: ago(2), campaignId: 3 }, soft(1, 3)])).toBe(
      'undeliverable',
    );
  });

  test('a mark stays although time passes, and is lifted by a delivery or a person', () => {
    const marked = [soft(200, 1), soft(190, 2), soft(180, 3)];
    expect(decide(marked)).toBe('undeliverable');
    expect(decide([...marked, { kind: 'engaged', at: ago(1) }])).toBe('undeliverable');
    expect(decide([...marked, { kind: 'delivered', at: ago(1) }])).toBe('deliverable');
    expect(decide([...marked, { kind: 'lifted', at: ago(1) }])).toBe('deliverable');
  });

  test('blocks are ours: no number of them marks', () => {
    const blocks = Array.from({ length: 50 }, (_, index): DeliverabilityFact => ({
      kind: 'bounced',
      bounceClass: 'block',
      at: ago(index),
      campaignId: index,
      eventId: `b${index}`,
    }));
    expect(decide(blocks)).toBe('deliverable');
    expect(
      decideDeliverability(
        { ...DEFAULT_BOUNCE_RULE, classes: ['soft', 'hard'], count: 1, onCampaigns: 1, spreadDays: 0 },
        blocks,
        NOW,
      ).deliverability,
    ).toBe('deliverable');
  });

  test('order-free: any order of the same facts gives the same decision', () => {
    const fact = fc.oneof(
      fc.record({
        kind: fc.constant('bounced' as const),
        bounceClass: fc.constantFrom('soft' as const, 'hard' as const, 'block' as const),
        at: fc.nat(60).map(ago),
        campaignId: fc.nat(4),
        eventId: fc.uuid(),
      }),
      fc.record({
        kind: fc.constantFrom('engaged' as const, 'delivered' as const, 'lifted' as const),
        at: fc.nat(60).map(ago),
      }),
      fc.record({ kind: fc.constant('accepted' as const), at: fc.nat(60).map(ago), campaignId: fc.nat(4) }),
    );
    fc.assert(
      fc.property(
        fc
          .array(fact, { maxLength: 12 })
          .chain((facts) => fc.tuple(fc.constant(facts), fc.shuffledSubarray(facts, { minLength: facts.length }))),
        ([facts, shuffled]) => {
          expect(decideDeliverability(DEFAULT_BOUNCE_RULE, shuffled, NOW)).toEqual(
            decideDeliverability(DEFAULT_BOUNCE_RULE, facts, NOW),
          );
        },
      ),
    );
  });
});

describe('sunset ladder', () => {
  const stage = (facts: Partial<Parameters<typeof decideStage>[1]>): string =>
    decideStage(
      DEFAULT_SUNSET_RULE,
      {
        joinedAt: ago(1000),
        engagedAt: undefined,
        restartedAt: undefined,
        messagesInSilence: 100,
        messagesEver: 100,
        ...facts,
      },
      NOW,
    ).stage;

  test.each([
    [29, 100, 'engaged'],
    [30, 2, 'engaged'],
    [30, 3, 'fading'],
    [90, 7, 'fading'],
    [90, 8, 'dormant'],
    [179, 100, 'dormant'],
    [180, 11, 'dormant'],
    [180, 12, 'sunset'],
  ])('%i days of silence with %i messages in it: %s', (days, messagesInSilence, expected) => {
    expect(stage({ engagedAt: ago(days), messagesInSilence })).toBe(expected);
  });

  test('silence needs words: however long the silence, without messages nobody goes down', () => {
    expect(stage({ engagedAt: ago(900), messagesInSilence: 0 })).toBe('engaged');
  });

  test('newcomers stay new until both days and messages have passed', () => {
    expect(stage({ joinedAt: ago(59) })).toBe('new');
    expect(stage({ messagesEver: 5, messagesInSilence: 5 })).toBe('new');
  });

  test('a lift by a person counts silence afresh', () => {
    expect(stage({ engagedAt: ago(900), restartedAt: ago(3), messagesInSilence: 0 })).toBe('engaged');
  });

  test('an edited ladder that does not rise is refused with its place', () => {
    const [fading, dormant, sunset] = DEFAULT_SUNSET_RULE.steps;
    const problems = reportLadderProblems({
      ...DEFAULT_SUNSET_RULE,
      engagingActs: [],
      steps: [fading!, { ...dormant!, days: 20, messages: 1 }, sunset!],
    });
    expect(problems.map(({ field }) => field)).toEqual(['steps.1.days', 'steps.1.messages', 'engagingActs']);
  });
});

describe('human or machine', () => {
  const act = (facts: Partial<ActFacts> = {}): ActFacts => ({
    kind: 'clicked',
    at: NOW,
    link: 1,
    userAgent: 'Mozilla/5.0 Mail',
    network: '198.51.100.7',
    method: 'GET',
    ...facts,
  });
  const message: MessageFacts = { acceptedAt: NOW - 60_000, trappedAt: [], links: 5 };
  const isProxy = makeIsProxy({ networks: ['192.0.2.0/24', '2001:db8::/32'], agents: ['Gauze'] });
  const reasons = (acts: ActFacts[], of: Partial<MessageFacts> = {}): string[] =>
    judgeActs(acts, { ...message, ...of }, isProxy).map(({ reason }) => reason);

  test.each<[string, Partial<ActFacts>, Partial<MessageFacts>, string, string]>([
    ['a click at reading pace', {}, {}, 'human', 'person'],
    ['the trap link', { link: 0 }, {}, 'machine', 'trap-link'],
    ['within 60 s of the trap link, before it', {}, { trappedAt: [NOW + 60_000] }, 'machine', 'trap-link'],
    ['61 s after the trap link', {}, { trappedAt: [NOW - 61_000] }, 'human', 'person'],
    ['a click under 2 s', {}, { acceptedAt: NOW - 1999 }, 'machine', 'too-soon'],
    ['a click at 2 s', {}, { acceptedAt: NOW - 2000 }, 'human', 'person'],
    ['an open under 1 s', { kind: 'opened' }, { acceptedAt: NOW - 999 }, 'machine', 'too-soon'],
    ['an open beside the trap link', { kind: 'opened' }, { trappedAt: [NOW] }, 'human', 'person'],
    ['a robot that says so', { userAgent: 'Tollgate-LinkScanner/4 (bot)' }, {}, 'machine', 'declared-robot'],
    ['a HEAD request', { method: 'HEAD' }, {}, 'machine', 'head-request'],
    [
      'an image proxy that says so',
      { kind: 'opened', userAgent: 'GauzePost-ImageProxy/2.1' },
      {},
      'unknown',
      'prefetch',
    ],
    ['an image proxy by its network', { kind: 'opened', network: '192.0.2.9' }, {}, 'unknown', 'prefetch'],
    ['an image proxy by its IPv6 network', { kind: 'opened', network: '2001:db8::7' }, {}, 'unknown', 'prefetch'],
    ['an image proxy by a word of its name', { kind: 'opened', userAgent: 'gauzefetch' }, {}, 'unknown', 'prefetch'],
    ['a click from the same network', { network: '192.0.2.9' }, {}, 'human', 'person'],
    ['a message nobody knows the acceptance of', {}, { acceptedAt: null }, 'human', 'person'],
  ])('%s', (_, facts, of, actor, reason) => {
    expect(judgeActs([act(facts)], { ...message, ...of }, isProxy)).toEqual([{ actor, reason }]);
  });

  test('three different links within 2 s are a burst, and so are all links within a minute; the same link thrice is not', () => {
    const clicks = (...of: [link: number, after: number][]): ActFacts[] =>
      of.map(([link, after]) => act({ link, at: NOW + after }));
    expect(reasons(clicks([1, 0], [2, 900], [3, 2000], [4, 9000]))).toEqual(['burst', 'burst', 'burst', 'person']);
    expect(reasons(clicks([1, 0], [2, 900], [3, 2001]))).toEqual(['person', 'person', 'person']);
    expect(reasons(clicks([1, 0], [1, 300], [1, 600]))).toEqual(['person', 'person', 'person']);
    expect(reasons(clicks([1, 0], [2, 20_000], [3, 60_000]), { links: 3 })).toEqual(['burst', 'burst', 'burst']);
    expect(reasons(clicks([1, 0], [2, 20_000], [3, 60_001]), { links: 3 })).toEqual(['person', 'person', 'person']);
    expect(reasons(clicks([1, 0], [2, 20_000]), { links: 2 })).toEqual(['person', 'person']);
    expect(reasons(clicks([1, 0], [0, 30_000]))).toEqual(['trap-link', 'trap-link']);
  });

  test('a visit is by whoever clicked before it, within half an hour', () => {
    const visit = (after: number, facts = {}): ActFacts =>
      act({ kind: 'visited', link: null, at: NOW + after, ...facts });
    expect(reasons([act({ link: 0 }), visit(1000), visit(30 * 60_000 + 1)])).toEqual([
      'trap-link',
      'trap-link',
      'person',
    ]);
    expect(reasons([act(), visit(1000), visit(1000, { userAgent: 'Headless' })])).toEqual([
      'person',
      'person',
      'declared-robot',
    ]);
    expect(reasons([visit(-1000), act({ method: 'HEAD' }), act({ at: NOW + 70_000 }), visit(80_000)])).toEqual([
      'person',
      'head-request',
      'person',
      'person',
    ]);
  });

  test('in whatever order the acts of a message come, each is judged the same', () => {
    const some = fc.record({
      kind: fc.constantFrom('opened' as const, 'clicked' as const, 'visited' as const),
      at: fc.integer({ min: NOW, max: NOW + 90_000 }),
      link: fc.integer({ min: 0, max: 4 }),
    });
    fc.assert(
      fc.property(fc.array(some, { maxLength: 12 }), fc.infiniteStream(fc.nat()), (acts, chances) => {
        const given = acts.map((one) => act(one));
        const mixed = given
          .map((one) => ({ one, at: chances.next().value as number }))
          .sort((a, b) => a.at - b.at)
          .map(({ one }) => one);
        const judged = judgeActs(mixed, { ...message, links: 4 }, isProxy);
        expect(given.map((one) => judged[mixed.indexOf(one)])).toEqual(
          judgeActs(given, { ...message, links: 4 }, isProxy),
        );
      }),
    );
  });

  /** The rules as they are told, each act held beside each other one: slow, and plain to see. */
  const byTheWords = (acts: ActFacts[], links: number): string[] => {
    const clicks = acts.filter(({ kind }) => kind === 'clicked');
    const followed = clicks.filter(({ link }) => link !== null && link !== 0);
    const inBurst = (one: ActFacts, within: number, wanted: number): boolean =>
      followed.some(
        ({ at }) =>
          at <= one.at &&
          one.at <= at + within &&
          new Set(followed.filter((other) => other.at >= at && other.at <= at + within).map(({ link }) => link)).size >=
            wanted,
      );
    const reasonOf = (one: ActFacts): string => {
      if (one.kind === 'clicked' && clicks.some(({ link, at }) => link === 0 && Math.abs(at - one.at) <= 60_000))
        return 'trap-link';
      if (followed.includes(one) && (inBurst(one, 2000, 3) || (links >= 3 && inBurst(one, 60_000, links))))
        return 'burst';
      return one.method === 'HEAD' ? 'head-request' : 'person';
    };
    return acts.map((one) => {
      if (one.kind !== 'visited') return reasonOf(one);
      const before = clicks.filter(({ at }) => at <= one.at && one.at - at <= 30 * 60_000);
      const latest = before.filter(({ at }) => at === Math.max(...before.map((click) => click.at))).map(reasonOf);
      return latest.includes('person') ? 'person' : (latest.sort()[0] ?? 'person');
    });
  };

  test('of any acts on one message, each is judged as the rules say', () => {
    const some = fc.record({
      kind: fc.constantFrom('opened' as const, 'clicked' as const, 'visited' as const),
      at: fc.integer({ min: NOW, max: NOW + 200_000 }).map((at) => at - (at % 500)),
      link: fc.integer({ min: 0, max: 5 }),
      method: fc.constantFrom('GET', 'GET', 'HEAD'),
    });
    fc.assert(
      fc.property(fc.array(some, { maxLength: 25 }), fc.integer({ min: 0, max: 5 }), (acts, links) => {
        const given = acts.map((one) => act(one));
        expect(reasons(given, { links })).toEqual(byTheWords(given, links));
      }),
      { numRuns: 2000 },
    );
  });

  test('ten times as many clicks by one person take about ten times as long, not a hundred times', () => {
    const took = (clicks: number): number => {
      const acts = Array.from({ length: clicks }, (_, index) =>
        act({ kind: index % 7 === 6 ? 'visited' : 'clicked', at: NOW + index, link: index % 5 }),
      );
      const once = (): number => {
        const begun = performance.now();
        expect(judgeActs(acts, { ...message, links: 5 }, isProxy)).toHaveLength(clicks);
        return performance.now() - begun;
      };
      return Math.min(once(), once(), once());
    };
    expect(took(50_000)).toBeLessThan(40 * took(5000));
  });
});

describe('score', () => {
  const event = (kind: EventKind, days: number, actor: Actor = 'human', brandId = 1) => ({
    kind,
    at: ago(days),
    actor,
    brandId,
  });
  const score = (joined: number, ...events: ReturnType<typeof event>[]) =>
    scoreOf(DEFAULT_SCORE_RULE, 1, { joinedAt: ago(joined), events }, NOW);

  test('points last their days to the instant, and fade one act after the other', () => {
    expect(score(59.99).score).toBe(10);
    expect(score(60)).toEqual({ score: 0, parts: [] });
    expect(score(400, event('clicked', 89.99), event('clicked', 90), event('opened', 3), event('opened', 3))).toEqual({
      score: 7,
      parts: [
        { of: 'opened', times: 2, points: 2 },
        { of: 'clicked', times: 1, points: 5 },
      ],
    });
  });

  test('machines give nothing, nor does another brand; what a server says needs nobody', () => {
    expect(
      score(400, event('clicked', 1, 'machine'), event('opened', 1, 'unknown'), event('purchased', 1, 'human', 2))
        .score,
    ).toBe(0);
    const falling: ScoreRule = { acts: [{ act: 'sent', points: -1, days: 90 }], joining: { points: 3, days: 3650 } };
    const sent = Array.from({ length: 5 }, (_, index) => event('sent', index, 'unknown'));
    expect(scoreOf(falling, 1, { joinedAt: NOW, events: sent }, NOW).score).toBe(-2);
  });

  test('an act scored twice, and points for nothing, are reported', () => {
    const twice = { act: 'opened' as const, points: 1, days: 1 };
    expect(reportScoreProblems({ acts: [twice, twice], joining: { points: 1, days: 1 } })).toMatchObject([
      { field: 'acts.1.act' },
    ]);
    expect(reportScoreProblems({ acts: [{ ...twice, points: 0 }], joining: { points: 0, days: 1 } })).toMatchObject([
      { field: 'acts' },
    ]);
    expect(reportScoreProblems(DEFAULT_SCORE_RULE)).toEqual([]);
  });
});

test('health rates: delivered is accepted less bounced, and nothing is judged under 200', () => {
  const [bounce, , complaint] = healthRates({
    accepted: 1000,
    bounced: 30,
    hardBounced: 5,
    complained: 1,
    unsubscribed: 0,
  });
  expect(bounce).toMatchObject({ rate: 0.03, over: true });
  expect(complaint).toMatchObject({ of: 970, over: true });
  expect(
    healthRates({ accepted: 199, bounced: 199, hardBounced: 199, complained: 0, unsubscribed: 0 }).map(
      (rate) => rate.over,
    ),
  ).toEqual([null, null, null, null]);
});
