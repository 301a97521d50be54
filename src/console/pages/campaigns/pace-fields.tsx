import { Button, NumberInput, TextInput } from '@mantine/core';
import type { CampaignPace } from '../../../shared/contract/campaigns.ts';

const NO_PACE: CampaignPace = { perHour: null, connections: null, domains: [] };
type Speed = Pick<CampaignPace, 'perHour' | 'connections'>;

/** How fast a campaign goes: in all, and to single receiving domains. */
export function PaceFields({
  pace,
  change,
}: {
  pace: CampaignPace | null;
  change: (pace: CampaignPace | null) => void;
}) {
  const now = pace ?? NO_PACE;
  const set = (of: Partial<CampaignPace>): void => {
    const next = { ...now, ...of };
    change(next.perHour === null && next.connections === null && next.domains.length === 0 ? null : next);
  };
  return (
    <div className="stack" role="group" aria-label="Pace">
      <h3>Pace</h3>
      <span className="second">
        Left empty: as fast as the relay takes it. A receiving domain that puts messages off is slowed down by itself.
      </span>
      <SpeedFields of="in all" speed={now} set={set} />
      {now.domains.map((one, index) => (
        <span className="row" key={index}>
          <TextInput
            label="Receiving domain"
            value={one.domain}
            onChange={(event) => set({ domains: replaced(now, index, { domain: event.currentTarget.value.trim() }) })}
            w={240}
          />
          <SpeedFields
            of={one.domain || `domain ${index + 1}`}
            speed={one}
            set={(speed) => set({ domains: replaced(now, index, speed) })}
          />
          <button
            type="button"
            className="act"
            aria-label={`Remove ${one.domain || `domain ${index + 1}`}`}
            onClick={() => set({ domains: now.domains.filter((_, place) => place !== index) })}
          >
            Remove
          </button>
        </span>
      ))}
      <Button
        variant="subtle"
        onClick={() => set({ domains: [...now.domains, { domain: '', perHour: null, connections: null }] })}
      >
        A pace for a receiving domain
      </Button>
    </div>
  );
}

const replaced = (
  { domains }: CampaignPace,
  index: number,
  of: Partial<CampaignPace['domains'][number]>,
): CampaignPace['domains'] => domains.map((one, place) => (place === index ? { ...one, ...of } : one));

function SpeedFields({ of, speed, set }: { of: string; speed: Speed; set: (speed: Partial<Speed>) => void }) {
  const fields = [
    ['perHour', 'Messages an hour', 100_000_000],
    ['connections', 'On their way at once', 1000],
  ] as const;
  return (
    <span className="row">
      {fields.map(([field, label, most]) => (
        <NumberInput
          key={field}
          label={label}
          aria-label={`${label}, ${of}`}
          min={1}
          max={most}
          allowDecimal={false}
          thousandSeparator=","
          placeholder="no limit"
          value={speed[field] ?? ''}
          onChange={(value) => set({ [field]: value === '' ? null : Number(value) })}
          w={180}
        />
      ))}
    </span>
  );
}
