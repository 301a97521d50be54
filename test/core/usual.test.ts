import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { actsByHour, median, openedBy, sharesOf, usualOpening, usualShares } from '../../src/core/health/usual.ts';

const figures = (accepted: number, bounced: number, opened: number) =>
  new Map([
    ['accepted', accepted],
    ['bounced any', bounced],
    ['opened', opened],
    ['opened any', opened + 10],
    ['clicked', 5],
    ['complained', 1],
  ]);

test('the median is the middle, or between the two in the middle, and of none there is none', () => {
  expect([median([3, 1, 2]), median([4, 1, 3, 2]), median([7]), median([])]).toEqual([2, 2.5, 7, undefined]);
});

test('shares are of those it was delivered to, and of nobody there are none', () => {
  expect(sharesOf(figures(110, 10, 40))).toEqual({
    opened: { human: 0.4, any: 0.5 },
    clicked: { human: 0.05, any: 0 },
    complained: 0.01,
    unsubscribed: 0,
  });
  expect(sharesOf(new Map())).toBeUndefined();
  expect(sharesOf(figures(10, 10, 0))).toBeUndefined();
});

test('one campaign that went strangely does not make what is usual', () => {
  const usual = [40, 42, 44, 1].map((opened) => sharesOf(figures(100, 0, opened))!);
  expect(usualShares(usual)!.opened.human).toBeCloseTo(0.41);
  expect(usualShares([])).toBeUndefined();
});

test('acts add up over the hours, people’s and anyone’s apart', () => {
  const points = actsByHour([
    { figure: 'opened', hours: 2, contacts: 5 },
    { figure: 'opened any', hours: 0, contacts: 9 },
    { figure: 'opened', hours: 0, contacts: 7 },
    { figure: 'clicked', hours: 30, contacts: 1 },
    { figure: 'complained', hours: 1, contacts: 1 },
  ]);
  expect(points).toEqual([
    { hours: 1, opened: 7, openedAny: 9, clicked: 0, clickedAny: 0 },
    { hours: 3, opened: 12, openedAny: 9, clicked: 0, clickedAny: 0 },
    { hours: 31, opened: 12, openedAny: 9, clicked: 1, clickedAny: 0 },
  ]);
  expect([0, 1, 2, 3, 1000].map((hours) => openedBy(points, hours))).toEqual([0, 7, 7, 12, 12]);
});

test('in whatever order they come, the last point holds everything, and no point less than the one before', () => {
  const act = fc.record({
    figure: fc.constantFrom('opened', 'opened any', 'clicked', 'clicked any'),
    hours: fc.nat(720),
    contacts: fc.integer({ min: 1, max: 50 }),
  });
  fc.assert(
    fc.property(fc.array(act), (acts) => {
      const points = actsByHour(acts);
      expect(actsByHour([...acts].reverse())).toEqual(points);
      const opened = acts.filter(({ figure }) => figure === 'opened').reduce((sum, one) => sum + one.contacts, 0);
      expect(points.at(-1)?.opened ?? 0).toBe(opened);
      points.slice(1).forEach((point, index) => {
        expect(point.hours).toBeGreaterThan(points[index]!.hours);
        expect(point.opened).toBeGreaterThanOrEqual(points[index]!.opened);
      });
    }),
  );
});

test('how opening usually goes is the median at each hour; a campaign delivered to nobody says nothing', () => {
  const campaign = (delivered: number, ...opened: [number, number][]) => ({
    delivered,
    points: actsByHour(opened.map(([hours, contacts]) => ({ figure: 'opened', hours, contacts }))),
  });
  const three = [campaign(100, [0, 10], [5, 10]), campaign(200, [0, 60]), campaign(50, [7, 5]), campaign(0)];
  expect(usualOpening(three, [1, 6, 8])).toEqual([
    { hours: 1, share: 0.1 },
    { hours: 6, share: 0.2 },
    { hours: 8, share: 0.2 },
  ]);
  expect(usualOpening([], [1])).toEqual([]);
});
