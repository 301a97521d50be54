import {
  IconArchive,
  IconCheck,
  IconCircleDashed,
  IconCircleFilled,
  IconCircleHalf2,
  IconCircleOff,
  IconCirclePlus,
  IconDoorExit,
  IconEraser,
  IconGauge,
  IconHandStop,
  IconHourglassEmpty,
  IconLicenseOff,
  IconMailboxOff,
  IconMailOff,
  IconMessageReport,
  IconRobot,
  IconSpeakerphone,
  IconStack2,
  IconSunset2,
  IconUsersMinus,
  type Icon,
} from '@tabler/icons-react';
import type { Reach, Reason, Stage as StageName } from '../../shared/words.ts';
import { reasonWord } from './words.ts';

const STAGE_ICONS: Record<StageName, Icon> = {
  new: IconCirclePlus,
  engaged: IconCircleFilled,
  fading: IconCircleHalf2,
  dormant: IconCircleDashed,
  sunset: IconCircleOff,
};

/** A stage: its disc, in its colour everywhere, and its word. */
export function Stage({ stage, bare = false }: { stage: StageName; bare?: boolean }) {
  const Disc = STAGE_ICONS[stage];
  return (
    <span className="mark">
      <Disc
        size={14}
        stroke={2.2}
        color={`var(--av-stage-${stage})`}
        aria-hidden={!bare}
        aria-label={bare ? stage : undefined}
      />
      {bare ? null : stage}
    </span>
  );
}

/** `stop`: must not be written to. `look`: somebody could mend this. `calm`: set aside, on purpose. */
export type Tone = 'stop' | 'look' | 'calm';
/** The colour of each tone, for shapes; never for text. */
export const TONE_COLOURS: Record<Tone, string> = {
  stop: 'var(--av-stop-mark)',
  look: 'var(--av-look-mark)',
  calm: 'var(--av-ink3)',
};

/** The one pictogram and tone of each reason, everywhere. */
export const REASON_LOOK: Record<Reason, { icon: Icon; tone: Tone }> = {
  erased: { icon: IconEraser, tone: 'stop' },
  archived: { icon: IconArchive, tone: 'calm' },
  undeliverable: { icon: IconMailboxOff, tone: 'stop' },
  suppressed: { icon: IconHandStop, tone: 'stop' },
  complained: { icon: IconMessageReport, tone: 'stop' },
  unsubscribed: { icon: IconDoorExit, tone: 'stop' },
  unconfirmed: { icon: IconHourglassEmpty, tone: 'look' },
  'no-permission': { icon: IconLicenseOff, tone: 'look' },
  sunset: { icon: IconSunset2, tone: 'look' },
  machine: { icon: IconRobot, tone: 'look' },
  'left-out': { icon: IconUsersMinus, tone: 'calm' },
  capped: { icon: IconGauge, tone: 'calm' },
  duplicate: { icon: IconStack2, tone: 'calm' },
};

/** A reason: its pictogram in its tone and its word, never colour alone. Without a reason: may be written to. */
export function ReasonMark({ reason }: { reason: Reason | null }) {
  if (reason === null) {
    return (
      <span className="mark">
        <IconCheck size={16} stroke={1.75} aria-hidden />
        may be written to
      </span>
    );
  }
  const { icon: Pictogram, tone } = REASON_LOOK[reason];
  return (
    <span className="mark">
      <Pictogram size={16} stroke={1.75} color={TONE_COLOURS[tone]} aria-hidden />
      {reasonWord(reason)}
    </span>
  );
}

/** What a list stops, as a pictogram. */
export function ReachMark({ reach }: { reach: Reach }) {
  return reach === 'everything' ? (
    <IconMailOff size={15} color="var(--av-stop-mark)" aria-hidden />
  ) : (
    <IconSpeakerphone size={15} color="var(--av-look-mark)" aria-hidden />
  );
}

/** Whose act it was, or which way a message went. */
export type ActorName = 'human' | 'machine' | 'unknown' | 'sent' | 'back';

/**
 * Whose act: a person's filled disc, a machine's or rule's hollow square, unknown a dashed ring; mail out a dash, what
 * came back a cross.
 */
export function ActorMark({ actor }: { actor: ActorName }) {
  const label = {
    human: 'a person',
    machine: 'a rule or a machine',
    unknown: 'unknown',
    sent: 'sent',
    back: 'came back',
  }[actor];
  return (
    <svg
      width={12}
      height={12}
      viewBox="0 0 12 12"
      role="img"
      aria-label={label}
      style={{ flex: 'none', marginTop: 5 }}
    >
      {actor === 'human' && <circle cx={6} cy={6} r={4} fill="var(--av-ink)" />}
      {actor === 'machine' && (
        <rect x={2} y={2} width={8} height={8} fill="none" stroke="var(--av-ink3)" strokeWidth={1.2} />
      )}
      {actor === 'unknown' && (
        <circle cx={6} cy={6} r={4} fill="none" stroke="var(--av-ink3)" strokeWidth={1.2} strokeDasharray="2 2" />
      )}
      {actor === 'sent' && <path d="M2 6h8" stroke="var(--av-ink)" strokeWidth={1.5} />}
      {actor === 'back' && <path d="M2 2l8 8M10 2l-8 8" stroke="var(--av-stop-mark)" strokeWidth={1.5} />}
    </svg>
  );
}
