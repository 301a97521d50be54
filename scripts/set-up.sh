# Shared by start.sh, test.sh and bench.sh: installs what is missing, builds, and brings up PostgreSQL on loopback.
# Sourced, not run. Everything it starts is stopped by stop_postgres.

ROOT="$(cd "$(dirname "${BASH_SOURCE[0]}")/.." && pwd)"
cd "$ROOT"
STATE="$ROOT/.avendel"

say() { printf '%s\n' "$*" >&2; }
fail() { say "$*"; exit 1; }

as_root() {
  if [ "$(id -u)" = 0 ]; then "$@"; elif command -v sudo >/dev/null 2>&1; then sudo "$@"; else return 127; fi
}

# need_package COMMAND_OR_PATH PACKAGE: installs a Debian package when what it brings is missing.
need_package() {
  if [ -e "$1" ] || command -v "$1" >/dev/null 2>&1; then return 0; fi
  say "Installing Debian's $2 …"
  if ! { as_root apt-get update -qq && as_root env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "$2"; } >/tmp/avendel-apt.log 2>&1; then
    fail "$2 is missing and could not be installed from here. Install it as root (apt-get install $2) and try again."
  fi
}

# Only its programs are wanted: we run it on a queue of our own, and no mail server begins to listen by itself.
need_postfix() {
  [ -x /usr/sbin/postfix ] || echo 'postfix postfix/main_mailer_type select No configuration' | as_root debconf-set-selections 2>/dev/null || true
  need_package /usr/sbin/postfix postfix
}

need_node() {
  command -v node >/dev/null 2>&1 || fail "Node.js 20 is missing. Install it and try again."
  [ "$(node -p 'Number(process.versions.node.split(".")[0]) >= 20')" = true ] || fail "Node.js 20 or newer is needed; this is $(node --version)."
}

# Packages are installed again only when the lock file has changed.
need_modules() {
  local stamp="node_modules/.avendel-lock" sum
  sum="$(sha256sum package-lock.json | cut -c1-64)"
  if [ -f "$stamp" ] && [ "$(cat "$stamp")" = "$sum" ]; then return 0; fi
  say "Installing packages (npm ci) …"
  npm ci --include=dev --no-audit --no-fund --loglevel=error >&2
  printf '%s' "$sum" >"$stamp"
}

# The build is made again only when a source has changed.
need_build() {
  local stamp="dist/.built"
  if [ -f "$stamp" ] && [ -z "$(find src package.json tsconfig.json tsconfig.build.json -newer "$stamp" -type f -print -quit)" ]; then return 0; fi
  say "Building …"
  # What was built of files that are gone would be found there, as migrations are.
  rm -rf dist
  npx tsc -p tsconfig.build.json
  npx vite build --config src/console/vite.config.ts --logLevel warn >&2
  touch "$stamp"
}

free_port() { node -e 'const s=require("net").createServer().listen(0,"127.0.0.1",()=>{console.log(s.address().port);s.close()})'; }

pg_bin() { ls -d /usr/lib/postgresql/*/bin 2>/dev/null | sort -V | tail -n 1; }

# PostgreSQL does not run as root: its files then belong to the postgres account.
as_pg() {
  if [ "$(id -u)" = 0 ]; then (cd / && runuser -u postgres -- "$@"); else "$@"; fi
}

# start_postgres NAME PORT: a cluster of its own in .avendel/NAME, on loopback. Sets PG_URL (of database avendel) and
# PG_SERVER, both for an account that may make databases and nothing else: the service is no superuser.
start_postgres() {
  local name="$1" port="$2" bin
  PG_PORT="$port"
  need_package "$(pg_bin)/initdb" postgresql
  bin="$(pg_bin)"
  [ -n "$bin" ] || fail "PostgreSQL is not there. Install Debian's package postgresql and try again."
  mkdir -p "$STATE"
  PG_HOME="$STATE/$name"
  if [ "$(id -u)" = 0 ] && ! runuser -u postgres -- test -x "$STATE"; then
    PG_HOME="/var/lib/postgresql/avendel-$(printf '%s' "$ROOT/$name" | sha256sum | cut -c1-12)"
    say "The account postgres cannot reach $STATE; its data is kept in $PG_HOME."
  fi
  PG_DATA="$PG_HOME/data"
  if [ ! -f "$PG_DATA/PG_VERSION" ]; then
    mkdir -p "$PG_HOME"
    rm -rf "$PG_DATA"
    head -c 24 /dev/urandom | base64 | tr -d '/+=\n' >"$PG_HOME/password"
    chmod 600 "$PG_HOME/password"
    [ "$(id -u)" != 0 ] || chown -R postgres "$PG_HOME"
    as_pg "$bin/initdb" -D "$PG_DATA" -U avendel -A scram-sha-256 --pwfile="$PG_HOME/password" -E UTF8 --locale=C.UTF-8 >/dev/null
  fi
  if as_pg "$bin/pg_ctl" -D "$PG_DATA" status >/dev/null 2>&1; then
    as_pg "$bin/pg_ctl" -D "$PG_DATA" -m fast -w stop >/dev/null 2>&1 || true
  fi
  as_pg "$bin/pg_ctl" -D "$PG_DATA" -l "$PG_HOME/log" -w -t 60 \
    -o "-c listen_addresses=127.0.0.1 -p $port -k $PG_HOME -c max_connections=200 -c shared_buffers=512MB -c wal_buffers=64MB -c max_wal_size=4GB -c jit=off" start >/dev/null ||
    fail "PostgreSQL did not start on port $port; its log is $PG_HOME/log. If the port is in use, set AVENDEL_POSTGRES_PORT to another."
  if [ ! -f "$PG_HOME/service-password" ]; then
    head -c 24 /dev/urandom | base64 | tr -d '/+=\n' >"$PG_HOME/service-password"
    chmod 600 "$PG_HOME/service-password"
  fi
  make_database
  PG_SERVER="postgres://avendel_service:$(cat "$PG_HOME/service-password")@127.0.0.1:$port"
  PG_URL="$PG_SERVER/avendel"
}

# The database and the account of the service, made by the cluster's own superuser; what an older set-up made as that one is
# handed over.
make_database() {
  on_cluster postgres <<SQL
SELECT 'CREATE ROLE avendel_service' WHERE NOT EXISTS (SELECT FROM pg_roles WHERE rolname = 'avendel_service') \gexec
ALTER ROLE avendel_service LOGIN CREATEDB NOSUPERUSER NOCREATEROLE PASSWORD '$(cat "$PG_HOME/service-password")';
SELECT 'CREATE DATABASE avendel' WHERE NOT EXISTS (SELECT FROM pg_database WHERE datname = 'avendel') \gexec
ALTER DATABASE avendel OWNER TO avendel_service;
SQL
  on_cluster avendel <<'SQL'
ALTER SCHEMA public OWNER TO avendel_service;
SELECT format('ALTER SCHEMA %I OWNER TO avendel_service', nspname) FROM pg_namespace WHERE nspname = 'jobs' AND nspowner <> 'avendel_service'::regrole \gexec
SELECT format('ALTER %s %I.%I OWNER TO avendel_service', CASE relkind WHEN 'S' THEN 'SEQUENCE' WHEN 'v' THEN 'VIEW' ELSE 'TABLE' END, nspname, relname)
  FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace
  WHERE nspname IN ('public', 'jobs') AND relkind IN ('r', 'p', 'v', 'S') AND relowner <> 'avendel_service'::regrole
    AND NOT EXISTS (SELECT FROM pg_depend d WHERE d.objid = c.oid AND d.deptype IN ('a', 'i') AND relkind = 'S') \gexec
SELECT format('ALTER TYPE %I.%I OWNER TO avendel_service', nspname, typname)
  FROM pg_type t JOIN pg_namespace n ON n.oid = t.typnamespace
  WHERE nspname IN ('public', 'jobs') AND typtype IN ('e', 'd') AND typowner <> 'avendel_service'::regrole \gexec
SELECT format('ALTER ROUTINE %s OWNER TO avendel_service', p.oid::regprocedure)
  FROM pg_proc p JOIN pg_namespace n ON n.oid = p.pronamespace
  WHERE nspname IN ('public', 'jobs') AND proowner <> 'avendel_service'::regrole \gexec
SQL
}

# Tests drop their databases while PostgreSQL may be sweeping one; the service itself never ends another's session.
let_tests_drop() { on_cluster postgres -c 'GRANT pg_signal_backend TO avendel_service'; }

# The benchmarks have written data put away before they measure what comes next.
let_bench_tidy() { on_cluster postgres -c 'GRANT pg_checkpoint TO avendel_service'; }

# on_cluster DATABASE ARGUMENTS: psql as the cluster's superuser.
on_cluster() {
  local database="$1"
  shift
  PGPASSWORD="$(cat "$PG_HOME/password")" "$(pg_bin)/psql" -h 127.0.0.1 -p "$PG_PORT" -U avendel -d "$database" -qXAt -v ON_ERROR_STOP=1 "$@"
}

stop_postgres() {
  [ -n "${PG_DATA:-}" ] || return 0
  as_pg "$(pg_bin)/pg_ctl" -D "$PG_DATA" -m fast -w stop >/dev/null 2>&1 || true
}

# Starts a PostgreSQL of its own, under the name $1, for whatever is run on the built tree and then over.
own_postgres_for_built_tree() {
  need_node
  need_modules
  need_build
  trap stop_postgres EXIT
  start_postgres "$1" "$(free_port)"
  let_tests_drop
}
