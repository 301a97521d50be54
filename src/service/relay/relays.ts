import type { Logger } from 'pino';
import { returnPathBy } from '../../core/message/return-path.ts';
import {
  FRESH,
  rests,
  standingAfter,
  type RelayOutcome,
  type RelayStanding,
} from '../../core/sending/relay-standing.ts';
import type { Deps } from '../../operations/deps.ts';
import type { Handover, Relay, RelayOfBrand, Relays } from '../../operations/relay/relay.ts';
import { found } from '../../operations/problem.ts';
import {
  findRelay,
  listRelaysOf,
  setRelayTrouble,
  spendRelayRate,
  type RelayRow,
} from '../../store/statements/relays.ts';
import { serverOfSettings, serverOfUrl, type PasswordPlaces } from './relay-server.ts';
import { makeSmtpRelay, type SmtpRelay } from './smtp-relay.ts';

/** A relay as this process uses it. */
interface Used {
  pool: SmtpRelay;
  standing: RelayStanding;
  /**
   * After trouble it is first spoken to, beside everything else, and only then given messages again: one that hangs
   * would keep all campaigns waiting each time. Absent while there was none.
   */
  probe?: 'due' | 'under way';
  /** The settings its connections were made with; null for the relay of the settings of the service. */
  row: RelayRow | null;
}

/**
 * The relays of the organisation, each with its pool of connections and how it stands: one in trouble rests, and is
 * tried again when it has.
 */
export function makeRelays(
  deps: Pick<Deps, 'database' | 'now'>,
  standard: { url: string; connections: number },
  places: PasswordPlaces,
  log: Logger,
): Relays & { close(): void } {
  const used = new Map<number, Used>();
  const ofSettings: Used = {
    pool: makeSmtpRelay(serverOfUrl(standard.url, standard.connections)),
    standing: FRESH,
    row: null,
  };
  const now = (): number => deps.now().getTime();
  const use = (row: RelayRow): Used => {
    const known = used.get(row.id);
    if (known?.row?.version === row.version) {
      known.row = row;
      return known;
    }
    const fresh: Used = { pool: makeSmtpRelay(serverOfSettings(row, places)), standing: FRESH, row };
    used.set(row.id, fresh);
    // What is on its way by it still gets its answer.
    known?.pool.retire();
    return fresh;
  };
  /** How it stands is shown to people; what it is used for does not hang on that. */
  const keepTrouble = async (one: Used, trouble: string | null): Promise<void> => {
    if (!one.row) return;
    const { id, version } = one.row;
    one.row = { ...one.row, trouble };
    await setRelayTrouble(deps.database.manager, id, version, trouble).catch((error: Error) =>
      log.error({ err: error, relay: id }, 'how a relay stands was not kept'),
    );
  };
  const note = async (one: Used, handover: Handover): Promise<Handover> => {
    const outcome = outcomeOf(handover);
    const before = one.standing;
    one.standing = standingAfter(before, outcome, now());
    const rest = rests(one.standing, now());
    if (outcome === 'trouble') one.probe ??= 'due';
    if (outcome === 'answered') one.probe = undefined;
    if (rest && !rests(before, now())) await keepTrouble(one, handover.reply);
    else if (!rest && outcome === 'answered' && one.row?.trouble) await keepTrouble(one, null);
    return handover.outcome === 'uncertain' && rest ? { ...handover, trouble: true } : handover;
  };
  const speakTo = async (one: Used): Promise<void> => {
    one.probe = 'under way';
    const { answers, said } = await one.pool.check();
    // How often in a row it was in trouble stays, until it has taken a message.
    if (answers) return void (one.probe = undefined);
    one.standing = standingAfter(one.standing, 'trouble', now());
    one.probe = 'due';
    await keepTrouble(one, said);
  };
  /** Whether it is given no messages of campaigns just now. Once its rest is over it is spoken to. */
  const restsNow = (one: Used): boolean => {
    if (rests(one.standing, now())) return true;
    if (one.probe === 'due') void speakTo(one);
    return one.probe !== undefined;
  };
  const relayOf = (one: Used): RelayOfBrand => ({
    id: one.row?.id,
    connections: one.pool.connections,
    rests: restsNow(one),
    async handOver(message, signWith) {
      const envelopeFrom = returnPathBy(message.envelopeFrom, one.row?.returnsTo ?? null);
      return note(one, await one.pool.handOver({ ...message, envelopeFrom }, signWith));
    },
  });
  const ofBrand = async (brandId: number): Promise<RelayOfBrand[]> => {
    const rows = await listRelaysOf(deps.database.manager, brandId);
    return rows.length === 0 ? [relayOf(ofSettings)] : rows.map((row) => relayOf(use(row)));
  };
  return {
    ofBrand,
    asOne: (brandId) => asOne(deps, () => ofBrand(brandId)),
    async check(id) {
      if (id === null) return ofSettings.pool.check();
      return use(found(await findRelay(deps.database.manager, id), `relay ${id}`)).pool.check();
    },
    close() {
      for (const { pool } of [ofSettings, ...used.values()]) pool.close();
    },
  };
}

/** What one handing over says of the relay. */
function outcomeOf(handover: Handover): RelayOutcome {
  if (handover.outcome === 'uncertain') return 'broke';
  return handover.outcome === 'again' && handover.trouble ? 'trouble' : 'answered';
}

/** Several relays as one, for single messages. */
function asOne(deps: Pick<Deps, 'database'>, all: () => Promise<RelayOfBrand[]>): Relay {
  return {
    connections: 1,
    async handOver(message, signWith) {
      const relays = await all();
      const inOrder = [...relays.filter((one) => !one.rests), ...relays.filter((one) => one.rests)];
      let handover: Handover | undefined;
      for (const relay of inOrder) {
        handover = await relay.handOver(message, signWith);
        if (handover.outcome !== 'again' || !handover.trouble) {
          if (relay.id !== undefined) await spendRelayRate(deps.database.manager, relay.id);
          return handover;
        }
      }
      return handover!;
    },
  };
}
