#!/usr/bin/env bash
# Sets everything up and runs Avendel on the demo world; Ctrl-C stops all of it.
# With AVENDEL_DATABASE_URL set, that server is used, and no PostgreSQL is started here.
set -euo pipefail
. "$(dirname "$0")/set-up.sh"

export AVENDEL_CONSOLE_PORT="${AVENDEL_CONSOLE_PORT:-7400}"
export AVENDEL_PUBLIC_PORT="${AVENDEL_PUBLIC_PORT:-7401}"
export AVENDEL_INTAKE_PORT="${AVENDEL_INTAKE_PORT:-7425}"
export AVENDEL_SIMULATOR_PORT="${AVENDEL_SIMULATOR_PORT:-7426}"
export AVENDEL_SIMULATOR_NAMES_PORT="${AVENDEL_SIMULATOR_NAMES_PORT:-7453}"
# Whether a domain takes mail is asked of the simulated world.
export AVENDEL_RESOLVER="${AVENDEL_RESOLVER:-127.0.0.1:$AVENDEL_SIMULATOR_NAMES_PORT}"
# With AVENDEL_DEMO_MAIL_SERVER=postfix, Debian's mail server stands between: it takes the messages and reports what bounced.
if [ "${AVENDEL_DEMO_MAIL_SERVER:-}" = postfix ]; then export AVENDEL_RELAY_URL="smtp://127.0.0.1:${AVENDEL_MAIL_SERVER_PORT:=7427}"; fi
export AVENDEL_RELAY_URL="${AVENDEL_RELAY_URL:-smtp://127.0.0.1:$AVENDEL_SIMULATOR_PORT}"
export AVENDEL_SERVICE="http://127.0.0.1:$AVENDEL_CONSOLE_PORT"
export AVENDEL_LOG_LEVEL="${AVENDEL_LOG_LEVEL:-warn}"
export AVENDEL_ADMIN_EMAIL="${AVENDEL_ADMIN_EMAIL:-rosa.lindgard@larkfield.example}"
export AVENDEL_ADMIN_NAME="${AVENDEL_ADMIN_NAME:-Rosa Lindgard}"

need_node
mkdir -p "$STATE"
chmod 755 "$STATE"
SIMULATOR= SERVICE= MAIL_SERVER=
stop_all() {
  trap '' INT TERM
  for pid in $SIMULATOR $SERVICE; do kill -TERM "$pid" 2>/dev/null || true; done
  for pid in $SIMULATOR $SERVICE; do wait "$pid" 2>/dev/null || true; done
  if [ -n "$MAIL_SERVER" ]; then bash scripts/postfix.sh stop "$MAIL_SERVER"; fi
  stop_postgres
  rm -f "$STATE/sign-in.json"
  say "Stopped."
}
trap stop_all EXIT
trap 'exit 130' INT
trap 'exit 143' TERM

need_modules
need_build
for pair in "AVENDEL_CONSOLE_PORT $AVENDEL_CONSOLE_PORT" "AVENDEL_PUBLIC_PORT $AVENDEL_PUBLIC_PORT" "AVENDEL_INTAKE_PORT $AVENDEL_INTAKE_PORT" "AVENDEL_SIMULATOR_PORT $AVENDEL_SIMULATOR_PORT"; do
  set -- $pair
  if (exec 3<>"/dev/tcp/127.0.0.1/$2") 2>/dev/null; then fail "Port $2 is in use. Stop what uses it, or set $1 to another port."; fi
done
if [ -z "${AVENDEL_DATABASE_URL:-}" ]; then
  start_postgres postgres "${AVENDEL_POSTGRES_PORT:-7432}"
  export AVENDEL_DATABASE_URL="$PG_URL"
fi
# The demo's password is made once and kept, so that it can be printed at every start.
if [ ! -f "$STATE/demo-password" ]; then (umask 077; head -c 9 /dev/urandom | base64 | tr '/+' 'ab' >"$STATE/demo-password"); fi
export AVENDEL_ADMIN_PASSWORD="${AVENDEL_ADMIN_PASSWORD:-$(cat "$STATE/demo-password")}"

# So is the key that secrets are encrypted with.
if [ -z "${AVENDEL_SECRET_KEY:-}${AVENDEL_SECRET_KEY_FILE:-}" ]; then
  if [ ! -f "$STATE/secret-key" ]; then (umask 077; head -c 32 /dev/urandom | base64 >"$STATE/secret-key"); fi
  export AVENDEL_SECRET_KEY_FILE="$STATE/secret-key"
fi

if [ "${AVENDEL_DEMO_MAIL_SERVER:-}" = postfix ]; then
  need_postfix
  MAIL_SERVER="$(mktemp -d /tmp/avendel-mta-XXXXXX)"
  bash scripts/postfix.sh start "$MAIL_SERVER" "$AVENDEL_MAIL_SERVER_PORT" "$AVENDEL_SIMULATOR_PORT" "$AVENDEL_INTAKE_PORT" returns.larkfield.example returns.shop.larkfield.example
fi

# Children have a process group of their own: Ctrl-C reaches this script, which stops them in order.
set -m
node --enable-source-maps dist/service/main.js >"$STATE/service.log" 2>&1 &
SERVICE=$!
for _ in $(seq 1 150); do
  kill -0 "$SERVICE" 2>/dev/null || { cat "$STATE/service.log" >&2; exit 1; }
  if node -e "fetch('$AVENDEL_SERVICE/readyz').then(r=>process.exit(r.ok?0:1),()=>process.exit(1))"; then break; fi
  sleep 0.2
done
export AVENDEL_SIGN_IN_FILE="$STATE/sign-in.json"
AVENDEL_PASSWORD="$AVENDEL_ADMIN_PASSWORD" node bin/avendel sign-in --email "$AVENDEL_ADMIN_EMAIL" >/dev/null
: >"$STATE/simulator.log"
AVENDEL_RELAY_URL="smtp://127.0.0.1:$AVENDEL_SIMULATOR_PORT" AVENDEL_DEMO_FILES="$STATE/demo" AVENDEL_TOKEN="$(node -p "JSON.parse(require('fs').readFileSync('$AVENDEL_SIGN_IN_FILE')).token")" node --enable-source-maps dist/simulator/main.js --load >"$STATE/simulator.log" 2>&1 &
SIMULATOR=$!
said=0
for _ in $(seq 1 1500); do
  kill -0 "$SIMULATOR" 2>/dev/null || { cat "$STATE/simulator.log" >&2; exit 1; }
  lines=$(wc -l <"$STATE/simulator.log")
  if [ "$lines" -gt "$said" ]; then sed -n "$((said + 1)),${lines}p" "$STATE/simulator.log" >&2; said=$lines; fi
  grep -q 'react within' "$STATE/simulator.log" && break
  sleep 0.2
done
cat <<TXT

Avendel is ready, on the demo world of Larkfield Observatory (invented; the outside world is simulated).

  Console    $AVENDEL_SERVICE
  Sign in    $AVENDEL_ADMIN_EMAIL
  Password   $AVENDEL_ADMIN_PASSWORD

Three commands to try, in another terminal of this folder:

  bin/avendel today --brand "Larkfield Observatory"
  bin/avendel contacts import demo/open-evening-sign-ups.csv --list "Open Evenings" --dry-run
  bin/avendel campaigns preflight "The December sky"

Files to try: .avendel/demo/summer-fair.csv (10,000 rows with everything wrong that goes wrong), .avendel/demo/verified.csv

Ctrl-C stops everything. Logs: .avendel/service.log, .avendel/simulator.log
TXT
wait "$SERVICE"
