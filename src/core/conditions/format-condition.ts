import { quoted } from '../../shared/quoted.ts';
import type { Condition, EventTest, ValueTest, When } from './tree.ts';

/** The one canonical text of a condition: short ones in a line, long ones a part a line. */
export function formatCondition(condition: Condition): string {
  return block(condition, '');
}

const LINE = 100;

function block(condition: Condition, indent: string): string {
  const inline = line(condition);
  if (condition.kind !== 'and' && condition.kind !== 'or') {
    if (condition.kind !== 'not' || inline.length + indent.length <= LINE || isLeaf(condition.part)) return inline;
    return `not (\n${indent}  ${block(condition.part, `${indent}  `)}\n${indent})`;
  }
  if (inline.length + indent.length <= LINE) return inline;
  return condition.parts
    .map((part) => {
      if (part.kind !== 'and' && part.kind !== 'or') return block(part, indent);
      const short = `(${line(part)})`;
      return short.length + indent.length <= LINE ? short : `(\n${indent}  ${block(part, `${indent}  `)}\n${indent})`;
    })
    .join(`\n${indent}${condition.kind} `);
}

function isLeaf({ kind }: Condition): boolean {
  return kind !== 'and' && kind !== 'or' && kind !== 'not';
}

/** One line of text. */
export function line(condition: Condition): string {
  switch (condition.kind) {
    case 'and':
    case 'or':
      return condition.parts
        .map((part) => (part.kind === 'and' || part.kind === 'or' ? `(${line(part)})` : line(part)))
        .join(` ${condition.kind} `);
    case 'not':
      if (condition.part.kind === 'mailable') return 'may not be mailed';
      if (condition.part.kind === 'mailable-by-any') return 'may not be mailed by any brand';
      if (condition.part.kind === 'event' && isCountless(condition.part.event))
        return `never ${eventText(condition.part.event)}`;
      return isLeaf(condition.part) || condition.part.kind === 'not'
        ? `not ${line(condition.part)}`
        : `not (${line(condition.part)})`;
    case 'everyone':
    case 'archived':
    case 'automated':
    case 'newcomer':
      return condition.kind;
    case 'mailable':
      return 'may be mailed';
    case 'mailable-by-any':
      return 'may be mailed by any brand';
    case 'look-alike':
      return 'domain looks mistyped';
    case 'segment':
      return `segment ${quoted(condition.name)}`;
    case 'snapshot':
      return `in snapshot ${quoted(condition.name)}`;
    case 'field':
      return `${condition.field} ${valueText(condition.test)}`;
    case 'attribute':
      return `attribute ${quoted(condition.name)} ${valueText(condition.test)}`;
    case 'tagged':
      return `tagged ${quoted(condition.tag)}`;
    case 'list':
      return `${{ subscribed: 'on', pending: 'waiting on', unsubscribed: 'left' }[condition.state]} ${condition.list === null ? 'any list' : `list ${quoted(condition.list)}`}${condition.since ? ` ${whenText(condition.since)}` : ''}`;
    case 'joined':
      return `joined ${whenText(condition.when)}`;
    case 'stage':
    case 'deliverability':
    case 'verdict':
      return `${condition.kind} is ${condition.are.length === 1 ? condition.are[0]! : `one of (${condition.are.join(', ')})`}`;
    case 'suppressed':
      return condition.on === null ? 'suppressed' : `suppressed on ${quoted(condition.on)}`;
    case 'score':
      return `score ${valueText(condition.test)}`;
    case 'silent':
      return `silent for ${plural(condition.days, 'day')}${condition.messages > 0 ? ` with at least ${plural(condition.messages, 'message')}` : ''}`;
    case 'event':
      return eventText(condition.event);
  }
}

function isCountless({ least, most, which }: EventTest): boolean {
  return least === null && most === null && which === 'any';
}

/** An event part in its canonical words. */
export function eventText(event: EventTest): string {
  const parts = [
    ...(event.which === 'any' ? [] : [event.which]),
    event.act,
    ...(event.class === null ? [] : [event.class]),
    ...(event.by === null || event.by === 'people' ? [] : [`by ${event.by}`]),
    ...timesText(event),
    ...(event.campaign === null ? [] : [`in campaign ${quoted(event.campaign)}`]),
    ...(event.list === null ? [] : [`from list ${quoted(event.list)}`]),
    ...(event.link === null ? [] : [`link containing ${quoted(event.link)}`]),
    ...(event.what === null ? [] : [`what containing ${quoted(event.what)}`]),
    ...(event.brand === 'any' ? ['for any brand'] : []),
    ...(event.when === null ? [] : [whenText(event.when)]),
    ...(event.sinceLast === null ? [] : [`since last ${event.sinceLast}`]),
  ];
  return parts.join(' ');
}

function timesText({ least, most }: EventTest): string[] {
  if (least !== null && least === most) return [`exactly ${plural(least, 'time')}`];
  return [
    ...(least === null ? [] : [`at least ${plural(least, 'time')}`]),
    ...(most === null ? [] : [`at most ${plural(most, 'time')}`]),
  ];
}

/** A stretch of time in its canonical words. */
export function whenText(when: When): string {
  switch (when.kind) {
    case 'last':
      return `in the last ${spanText(when)}`;
    case 'ago':
      return `more than ${spanText(when)} ago`;
    case 'before':
    case 'since':
      return `${when.kind} ${when.day}`;
    case 'between':
      return `from ${when.first} to ${when.last}`;
  }
}

function spanText({ count, unit }: { count: number; unit: string }): string {
  return plural(count, unit.slice(0, -1));
}

function plural(count: number, what: string): string {
  return `${count} ${count === 1 ? what : `${what}s`}`;
}

function valueText(test: ValueTest): string {
  if (test.compare === 'set' || test.compare === 'not set') return `is ${test.compare}`;
  const values = test.values.map(oneValue);
  if (test.compare === 'contains' || test.compare === 'starts with') return `${test.compare} ${values[0]!}`;
  const several = values.length === 1 ? values[0]! : `one of (${values.join(', ')})`;
  if (test.compare === 'is' || test.compare === 'is not') return `${test.compare} ${several}`;
  return `is ${test.compare} ${values[0]!}`;
}

const DAY = /^\d{4}-\d{2}-\d{2}$/;

function oneValue(value: string | number | boolean): string {
  if (typeof value === 'boolean') return value ? 'yes' : 'no';
  if (typeof value === 'number') return String(value);
  return DAY.test(value) ? value : quoted(value);
}
