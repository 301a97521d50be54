import { setFlagsFromString } from 'node:v8';
import { startService } from './compose.ts';
import { readConfig } from './config.ts';

// The heap may grow to twice what lives before it is swept, where V8's own choice is up to four times: an import of a
// million rows takes 317 MB instead of 387, in the same time. With less room, sweeping took a tenth of the speed of
// events.
setFlagsFromString('--heap-growing-percent=100');

/** `avendel service`: runs until it is told to stop. */
async function main(): Promise<void> {
  const config = readConfig(process.env);
  const service = await startService(config);
  if (service.adminPassword !== undefined && config.adminPassword === undefined) {
    process.stdout.write(`First start. Sign in as ${config.adminEmail} with the password ${service.adminPassword}\n`);
  }
  process.stdout.write(`Avendel is ready. Console: http://${config.consoleHost}:${config.consolePort}\n`);
  const stop = (): void => {
    void service.stop().then(() => process.exit(0));
  };
  process.once('SIGINT', stop);
  process.once('SIGTERM', stop);
}

main().catch((error: Error) => {
  process.stderr.write(`${error.message}\n`);
  process.exit(1);
});
