#!/usr/bin/env bash
# All tests: Go, then the browser journeys, on a PostgreSQL of the tests' own.
set -euo pipefail
cd "$(dirname "$0")/.."
LEANCATCH_TEST_DB=$(scripts/postgres.sh start test fast)
export LEANCATCH_TEST_DB
trap 'scripts/postgres.sh stop test' EXIT
go test ./...
source scripts/install.sh
find_browser
e2e/server.sh make
npx --no-install playwright test --config e2e/playwright.config.js
