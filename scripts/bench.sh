#!/usr/bin/env bash
# The core's benchmarks, then the speeds and sizes of the whole as a table.
set -euo pipefail
cd "$(dirname "$0")/.."
LEANCATCH_TEST_DB=$(scripts/postgres.sh start bench)
export LEANCATCH_TEST_DB
trap 'scripts/postgres.sh stop bench' EXIT
go test -run '^$' -bench . ./internal/core/... ./internal/intake/... ./internal/interchange | grep -E '^(Benchmark|ok)' || true
go run ./cmd/bench
