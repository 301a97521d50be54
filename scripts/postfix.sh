#!/usr/bin/env bash
# Debian's mail server on loopback, on a queue of its own: between Avendel and the receiving servers, as in the world outside.
#   scripts/postfix.sh start HOME PORT RECEIVER RETURNS DOMAIN …   takes mail at PORT, hands it on to RECEIVER, and mail for
#                                                                  the return domains to RETURNS, Avendel's intake
#   scripts/postfix.sh stop HOME
#   scripts/postfix.sh halt HOME                                   ends it with what it has in its queue; and goes on:
#   scripts/postfix.sh resume HOME
# POSTFIX_MORE: lines that are put at the end of its main.cf.
# It needs root, or sudo.
set -euo pipefail
as_root() { if [ "$(id -u)" = 0 ]; then "$@"; else sudo "$@"; fi; }

start() {
  local home="$1" port="$2" receiver="$3" returns="$4" domain transports=
  shift 4
  for domain in "$@"; do transports="$transports $domain=smtp:[127.0.0.1]:$returns,"; done
  mkdir -p "$home/config" "$home/spool" "$home/data"
  cat >"$home/config/main.cf" <<CONFIG
compatibility_level = 3.6
queue_directory = $home/spool
data_directory = $home/data
maillog_file = $home/log
maillog_file_prefixes = $home
myhostname = relay.larkfield.example
mydestination =
mynetworks = 127.0.0.0/8
inet_interfaces = 127.0.0.1
inet_protocols = ipv4
smtp_dns_support_level = disabled
relayhost = [127.0.0.1]:$receiver
transport_maps = inline:{${transports%,} }
alias_maps =
alias_database =
notify_classes =
smtputf8_enable = no
${POSTFIX_MORE:-}
CONFIG
  # Debian's own, without chroot, and with the listener on our port.
  sed -E -e "s/^smtp[[:space:]]+inet[[:space:]].*/127.0.0.1:$port inet n - n - - smtpd/" \
    -e 's/^([^[:space:]#]+[[:space:]]+(inet|unix|fifo|pass)[[:space:]]+[^[:space:]]+[[:space:]]+[^[:space:]]+[[:space:]]+)y/\1n/' \
    /usr/share/postfix/master.cf.dist >"$home/config/master.cf"
  as_root chmod 755 "$home"
  as_root chown postfix "$home/data"
  as_root /usr/sbin/postfix -c "$home/config" start >/dev/null 2>&1
}

stop() {
  as_root /usr/sbin/postfix -c "$1/config" stop >/dev/null 2>&1 || true
  as_root rm -rf "$1"
}

halt() { as_root /usr/sbin/postfix -c "$1/config" stop >/dev/null 2>&1; }
resume() { as_root /usr/sbin/postfix -c "$1/config" start >/dev/null 2>&1; }

case "${1:-}" in
  start | stop | halt | resume) "$@" ;;
  *) sed -n '2,9p' "$0" | cut -c3- >&2; exit 2 ;;
esac
