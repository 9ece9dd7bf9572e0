#!/usr/bin/env bash
# A PostgreSQL cluster of the project's own: on loopback, on its own port, in
# the project's data folder, apart from any cluster that the machine runs.
#
#   scripts/postgres.sh start NAME [fast]   installs, makes and starts what is missing; prints the URL
#   scripts/postgres.sh stop NAME
#   scripts/postgres.sh crash NAME          stops it as a power cut would
#   scripts/postgres.sh drop NAME           stops it and deletes its data
#
# "fast" gives up durability, for tests. PostgreSQL refuses to run as root, so
# root lends it to the postgres account.
set -euo pipefail
cd "$(dirname "$0")/.."

die() { echo "postgres.sh: $*" >&2; exit 1; }
action=${1:-}; name=${2:-}; mode=${3:-}
[ -n "$name" ] || die "usage: postgres.sh start|stop NAME [fast]"

bin() { ls -d /usr/lib/postgresql/*/bin 2>/dev/null | sort -V | tail -n 1; }

install_server() {
  [ -n "$(bin)" ] && [ -x "$(bin)/initdb" ] && return
  source scripts/install.sh
  # No cluster of the machine's own: ours is enough.
  if [ ! -e /etc/postgresql-common/createcluster.conf ]; then
    as_root mkdir -p /etc/postgresql-common
    echo 'create_main_cluster = false' | as_root tee /etc/postgresql-common/createcluster.conf >/dev/null
  fi
  install_packages postgresql
}

# Root runs the server's programs as the postgres account, anybody else as themselves.
as_server() {
  if [ "$(id -u)" = 0 ]; then (cd / && runuser -u postgres -- "$@"); else "$@"; fi
}

# The cluster lies in .data, unless the postgres account cannot reach it there.
place() {
  dir=$PWD/.data/$name
  mkdir -p "$PWD/.data"
  if [ "$(id -u)" = 0 ]; then
    if ! as_server test -x "$PWD/.data"; then
      dir=/var/lib/leancatch/$(printf %s "$PWD" | cksum | cut -d' ' -f1)/$name
    fi
    mkdir -p "$dir"
    chown postgres: "$dir"
  else
    mkdir -p "$dir"
  fi
}

free_port() {
  local port=$1
  while (exec 3<>"/dev/tcp/127.0.0.1/$port") 2>/dev/null; do port=$((port + 1)); done
  echo "$port"
}

running() { [ -f "$dir/pg/postmaster.pid" ] && as_server "$(bin)/pg_ctl" -D "$dir/pg" status >/dev/null 2>&1; }

start() {
  install_server
  place
  if [ ! -f "$dir/pg/PG_VERSION" ]; then
    rm -rf "${dir:?}/pg"
    head -c 18 /dev/urandom | base64 | tr '+/' '-_' >"$dir/password"
    [ "$(id -u)" = 0 ] && chown postgres: "$dir/password"
    chmod 600 "$dir/password"
    as_server "$(bin)/initdb" -D "$dir/pg" -U leancatch --pwfile="$dir/password" -A scram-sha-256 -E UTF8 --locale=C.UTF-8 >/dev/null
  fi
  if ! running; then
    local port options try
    options="-c listen_addresses=127.0.0.1 -c unix_socket_directories= -c max_connections=200 -c shared_buffers=256MB -c max_wal_size=2GB"
    [ "$mode" = fast ] && options="$options -c fsync=off -c synchronous_commit=off -c full_page_writes=off"
    port=$(cat "$dir/port" 2>/dev/null || echo 54420) # the one it had, if it can
    for try in 1 2 3 4 5; do
      port=$(free_port "$port")
      as_server "$(bin)/pg_ctl" -D "$dir/pg" -l "$dir/log" -w -o "$options -c port=$port" start >/dev/null && break
      [ "$try" -lt 5 ] || die "the server did not start; see $dir/log"
      port=$((port + 1)) # a program may use it for a connection of its own, which nobody answers
    done
    echo "$port" >"$dir/port"
  fi
  echo "postgres://leancatch:$(cat "$dir/password")@127.0.0.1:$(cat "$dir/port")/postgres?sslmode=disable"
}

stop() {
  place
  if running; then as_server "$(bin)/pg_ctl" -D "$dir/pg" -m fast -w stop >/dev/null; fi
}

crash() {
  place
  if running; then as_server "$(bin)/pg_ctl" -D "$dir/pg" -m immediate -w stop >/dev/null; fi
}

case $action in
  start | stop | crash) "$action" ;;
  drop) stop; rm -rf "${dir:?}" ;;
  *) die "usage: postgres.sh start|stop|crash|drop NAME [fast]" ;;
esac
