import type { TimeLineItem } from '../shared/contract/contacts.ts';

/** One event of a time line in words. */
export function describeEvent(item: TimeLineItem): string {
  const campaign = item.campaignName ? ` “${item.campaignName}”` : '';
  const detail = (item.detail ?? {}) as {
    class?: string;
    reply?: string;
    url?: string;
    reasons?: string[];
    way?: string;
    what?: string;
  };
  const machine = item.actor === 'machine' && item.actorReason ? ` (${item.actorReason})` : '';
  switch (item.kind) {
    case 'sent':
      return `accepted:${campaign}`;
    case 'bounced':
      return `bounced, ${detail.class}:${campaign} ${detail.reply ?? ''}`;
    case 'clicked':
      return `clicked ${detail.url || 'the trap link'} in${campaign}${machine}`;
    case 'opened':
      return `opened${campaign}${machine}`;
    case 'held-back':
      return `held back from${campaign}: ${(detail.reasons ?? []).join(', ')}`;
    case 'unsubscribed':
      return `unsubscribed${detail.way?.startsWith('asked ') ? `, having ${detail.way}` : ` by ${detail.way ?? 'request'}`}${campaign === '' ? '' : `, from${campaign}`}`;
    case 'complained':
      return `complained about${campaign}`;
    default:
      return `${item.kind}${campaign} ${detail.what ?? ''}`.trim();
  }
}
