#!/usr/bin/env bash
# Runs the benchmarks on a PostgreSQL of their own and prints the table of docs/performance.md.
set -euo pipefail
. "$(dirname "$0")/set-up.sh"
need_node
need_modules
need_build
trap stop_postgres EXIT
start_postgres bench-postgres "$(free_port)"
let_tests_drop
export AVENDEL_BENCH_SERVER="$PG_SERVER"
npx tsc -p bench/tsconfig.json
node --enable-source-maps .avendel/bench/bench/main.js "$@"
