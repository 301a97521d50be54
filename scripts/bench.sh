#!/usr/bin/env bash
# Runs the benchmarks on a PostgreSQL of their own and prints the table of docs/performance.md.
set -euo pipefail
. "$(dirname "$0")/set-up.sh"
own_postgres_for_built_tree bench-postgres
let_bench_tidy
export AVENDEL_BENCH_SERVER="$PG_SERVER"
npx tsc -p bench/tsconfig.json
node --enable-source-maps .avendel/bench/bench/main.js "$@"
