import type { CampaignPace } from '../../shared/contract/campaigns.ts';
import type { DomainProgress, Progress } from '../../shared/contract/pace.ts';

type Speed = Pick<CampaignPace, 'perHour' | 'connections'>;

/** A rate as people say it: `41 a minute`, `20 an hour`. */
export function rateWords(perHour: number): string {
  const tooSlow = perHour < 120 && perHour % 60 !== 0;
  return tooSlow ? `${Math.round(perHour)} an hour` : `${Math.round(perHour / 60).toLocaleString('en')} a minute`;
}

/** How fast something may go: `600 an hour, 2 at once`. */
export function speedWords({ perHour, connections }: Speed): string {
  const said = [
    ...(perHour === null ? [] : [`${perHour.toLocaleString('en')} an hour`]),
    ...(connections === null ? [] : [`${connections.toLocaleString('en')} at once`]),
  ];
  return said.join(', ') || 'as fast as the relay takes it';
}

/** What a campaign’s pace is set to, a line for the whole and for each domain. */
export function paceLines(pace: CampaignPace | null): string[] {
  if (pace === null) return [];
  const isOpen = pace.perHour === null && pace.connections === null;
  return [...(isOpen ? [] : [speedWords(pace)]), ...pace.domains.map((one) => `${one.domain}: ${speedWords(one)}`)];
}

/** How fast one receiving domain goes at this moment, and why. */
export function domainWords(one: DomainProgress): string {
  if (one.calledOff) return 'called off';
  if (one.stormId !== null) return `stopped by storm ${one.stormId}`;
  if (one.stopped) return 'stopped';
  const atOnce = one.connections === null ? '' : `, ${one.connections} at once`;
  if (one.rate === null) return atOnce === '' ? 'as the relay takes it' : atOnce.slice(2);
  return `${one.slowed ? 'slowed to ' : ''}${rateWords(one.rate)}${atOnce}`;
}

/** What those who wait wait for, with how many: those that are none left out. */
export function waitingFor({
  next,
  laterWaves,
  stopped,
  pace,
  time,
}: Progress['waits']): { what: string; contacts: number }[] {
  return [
    { what: 'their turn', contacts: next },
    { what: 'the pace', contacts: pace },
    { what: 'another try', contacts: time },
    { what: 'a stopped domain', contacts: stopped },
    { what: 'a later wave', contacts: laterWaves },
  ].filter(({ contacts }) => contacts > 0);
}
