// Runs Jest and closes with one plain line: `N passed, N failed`.
import { spawnSync } from 'node:child_process';
import { mkdtempSync, readFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

const report = join(mkdtempSync(join(tmpdir(), 'avendel-test-')), 'report.json');
const jest = spawnSync(
  process.execPath,
  [
    '--experimental-vm-modules',
    '--no-warnings',
    'node_modules/jest/bin/jest.js',
    '--json',
    `--outputFile=${report}`,
    ...process.argv.slice(2),
  ],
  { stdio: ['ignore', 'ignore', 'inherit'] },
);
let passed = 0;
let failed = 1;
try {
  const result = JSON.parse(readFileSync(report, 'utf8'));
  passed = result.numPassedTests;
  // A file that does not even load has no failed test of its own, and is one all the same.
  failed = result.numFailedTests + result.numRuntimeErrorTestSuites;
} catch {
  console.error('Jest left no report.');
}
console.log(`${passed} passed, ${failed} failed`);
process.exit(failed === 0 && passed > 0 && jest.status === 0 ? 0 : 1);
