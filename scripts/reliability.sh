#!/usr/bin/env bash
# Ten minutes of two processes doing everything at once, killed and cut off in between; see docs/reliability.md.
#   scripts/reliability.sh                     AVENDEL_SEED and AVENDEL_MINUTES choose another order, another length
set -euo pipefail
. "$(dirname "$0")/set-up.sh"
own_postgres_for_built_tree reliability-postgres
export AVENDEL_TEST_SERVER="$PG_SERVER"
node --experimental-vm-modules --no-warnings node_modules/jest/bin/jest.js --testMatch '<rootDir>/test/long/*.long.ts' --testTimeout 1800000 --runInBand
cat "$STATE/reliability.md"
