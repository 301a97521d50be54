#!/usr/bin/env bash
# Sets everything up and passes the tests: lint, types, layers, then Jest against PostgreSQL and Chromium.
set -euo pipefail
. "$(dirname "$0")/set-up.sh"
need_node
need_package /usr/bin/chromium chromium
need_package /usr/sbin/dovecot dovecot-imapd
need_package python3 python3
need_package /usr/lib/python3/dist-packages/dkim/__init__.py python3-dkim
need_package openssl openssl
need_package /usr/sbin/nginx nginx
need_package /usr/lib/nginx/modules/ngx_stream_module.so libnginx-mod-stream
need_postfix
need_modules
trap stop_postgres EXIT
start_postgres test-postgres "$(free_port)"
let_tests_drop
export AVENDEL_TEST_SERVER="$PG_SERVER"
need_build
say "Checking types and style …"
npm run --silent check:types
npm run --silent lint
node --experimental-vm-modules --no-warnings scripts/run-tests.js "$@"
