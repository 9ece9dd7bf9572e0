#!/usr/bin/env bash
# Serves a demo for the browser tests. All are copies of one, made when this is
# called with "make" first; else with the number of the worker, and its port.
set -euo pipefail
cd "$(dirname "$0")/.."
: "${LEANCATCH_TEST_DB:?set by make test}"
sql() { PGOPTIONS="-c client_min_messages=error" psql -q "$LEANCATCH_TEST_DB" "$@"; }
copy() { # NAME TEMPLATE: a database as the template is, in place of an older one
  sql -c "drop database if exists \"$1\" with (force)" -c "create database \"$1\" template \"$2\" strategy file_copy"
  mkdir -p ".data/$1"
}
demo() {
  local name=$1
  shift
  LEANCATCH_DATABASE_URL=${LEANCATCH_TEST_DB/\/postgres\?//$name?} exec .build/leancatch demo -data ".data/$name" "$@"
}

if [ "$1" = make ]; then
  copy e2e template0
  demo e2e -fill
fi
copy "e2e-$1" e2e
cp .data/e2e/demo-* ".data/e2e-$1/"
demo "e2e-$1" -addr "127.0.0.1:$2"
