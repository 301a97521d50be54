import { startOutsideWorld, type OutsideWorld } from '../../src/simulator/outside/outside-world.ts';
import type { Running } from './service.ts';

/** Mail servers and readers around a service under test; nobody of them acts by themselves. */
export function startOutside(service: Running): Promise<OutsideWorld> {
  return startOutsideWorld({
    host: '127.0.0.1',
    port: service.relayPort,
    intakeHost: '127.0.0.1',
    intakePort: service.intakePort,
    pace: 1,
    people: [],
    say: (text) => console.error(text),
  });
}
