#!/usr/bin/env bash
# Starts the demo with a PostgreSQL of its own, and stops both at Ctrl-C.
set -euo pipefail
cd "$(dirname "$0")/.."
url=$(scripts/postgres.sh start demo)
trap 'scripts/postgres.sh stop demo' EXIT
trap : INT TERM # the application ends itself; then this script goes on to the EXIT trap
LEANCATCH_DATABASE_URL=$url .build/leancatch demo "$@" &
app=$!
trap 'kill -INT $app 2>/dev/null || true' INT TERM
wait $app || true
while kill -0 $app 2>/dev/null; do wait $app || true; done
