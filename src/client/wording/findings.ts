import type { Campaign } from '../../shared/contract/campaigns.ts';
import type { Finding, TypedMessage } from '../../shared/contract/messages.ts';

/** What a campaign says and to whom, as the check, the preview and the test take it. */
export function messageOf(campaign: Campaign): TypedMessage {
  const { brandId, purpose, statement, format, subject, previewLine, html, text, countLinks } = campaign;
  const { listIds, leftOutListIds, segmentIds, leftOutSegmentIds } = campaign;
  return {
    brandId,
    purpose,
    statement,
    format,
    subject,
    previewLine,
    html,
    text,
    countLinks,
    listIds,
    leftOutListIds,
    segmentIds,
    leftOutSegmentIds,
  };
}

/** What the check found, in one line: `1 thing stands in the way; 2 are worth a look`. */
export function findingsHeadline(findings: readonly Pick<Finding, 'weight'>[]): string {
  const [stops, looks] = (['stops', 'look'] as const).map((weight) => findings.filter((one) => one.weight === weight));
  const inTheWay = `${counted(stops!.length)} in the way`;
  const worthALook = `${looks!.length} ${looks!.length === 1 ? 'is' : 'are'} worth a look`;
  if (stops!.length > 0) return looks!.length > 0 ? `${inTheWay}; ${worthALook}` : inTheWay;
  return looks!.length > 0 ? `Nothing stands in the way; ${worthALook}` : 'Nothing stands in the way';
}

const counted = (n: number): string => (n === 1 ? '1 thing stands' : `${n} things stand`);

const FIELD_WORDS: Record<NonNullable<Finding['place']>['field'], string> = {
  subject: 'subject',
  previewLine: 'preview line',
  html: 'HTML',
  text: 'plain text',
  statement: 'statement',
};

/** Where a finding is: `HTML, line 6`; nothing where it is about the message as a whole. */
export function findingPlace({ place }: Pick<Finding, 'place'>): string {
  if (!place) return '';
  const hasLines = place.field === 'html' || place.field === 'text';
  return `${FIELD_WORDS[place.field]}${hasLines ? `, line ${place.line}` : ''}`;
}
