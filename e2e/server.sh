#!/usr/bin/env bash
# Serves the demo in a new database for the browser tests: the number of the
# worker, and its port.
set -euo pipefail
cd "$(dirname "$0")/.."
: "${LEANCATCH_TEST_DB:?set by make test}"
name=e2e-$1
psql -q "$LEANCATCH_TEST_DB" -c "drop database if exists \"$name\" with (force)" -c "create database \"$name\" template template0" >/dev/null 2>&1
mkdir -p ".data/$name"
LEANCATCH_DATABASE_URL=${LEANCATCH_TEST_DB/\/postgres\?//$name?} exec .build/leancatch demo -addr "127.0.0.1:$2" -data ".data/$name"
