#!/usr/bin/env bash
# All tests: Go, then the browser journeys, on a PostgreSQL of the tests' own.
set -euo pipefail
cd "$(dirname "$0")/.."
LEANCATCH_TEST_DB=$(scripts/postgres.sh start test fast)
export LEANCATCH_TEST_DB
trap 'scripts/postgres.sh stop test' EXIT
source scripts/install.sh
command -v qpdf >/dev/null && command -v pdftotext >/dev/null || install_packages qpdf poppler-utils # the papers are held against them
go test ./...
find_browser
e2e/server.sh make
npx --no-install playwright test --config e2e/playwright.config.js
