#!/usr/bin/env bash
# Sets everything up and passes the tests: lint, types, layers, then Jest against PostgreSQL and Chromium.
set -euo pipefail
. "$(dirname "$0")/set-up.sh"
need_node
need_package /usr/bin/chromium chromium
need_package /usr/sbin/dovecot dovecot-imapd
# Only its programs are wanted: the tests run it on a queue of their own, and no mail server begins to listen by itself.
[ -x /usr/sbin/postfix ] || echo 'postfix postfix/main_mailer_type select No configuration' | as_root debconf-set-selections 2>/dev/null || true
need_package /usr/sbin/postfix postfix
need_modules
trap stop_postgres EXIT
start_postgres test-postgres "$(free_port)"
export AVENDEL_TEST_SERVER="$PG_SERVER"
need_build
say "Checking types and style …"
npm run --silent check:types
npm run --silent lint
node --experimental-vm-modules --no-warnings scripts/run-tests.js "$@"
