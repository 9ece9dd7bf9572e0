#!/usr/bin/env bash
# Serves the demo in a new database for the browser tests, at the port given.
set -euo pipefail
cd "$(dirname "$0")/.."
: "${LEANCATCH_TEST_DB:?set by make test}"
psql -q "$LEANCATCH_TEST_DB" -c 'drop database if exists e2e with (force)' -c 'create database e2e' >/dev/null 2>&1
mkdir -p .data/e2e
LEANCATCH_DATABASE_URL=${LEANCATCH_TEST_DB/\/postgres\?//e2e?} exec .build/leancatch demo -addr "127.0.0.1:$1" -data .data/e2e
