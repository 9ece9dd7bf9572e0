#!/usr/bin/env bash
# Opens the workbook of the records with another program, LibreOffice from Debian's packages, and compares what it reads with the CSV.
set -euo pipefail
cd "$(dirname "$0")/.."
source scripts/install.sh
command -v soffice >/dev/null || install_packages libreoffice-calc-nogui
LEANCATCH_TEST_DB=$(scripts/postgres.sh start test fast)
export LEANCATCH_TEST_DB
trap 'scripts/postgres.sh stop test' EXIT
LEANCATCH_FOREIGN=1 go test ./internal/demo -count=1 -run TestAnotherProgramReadsTheWorkbook -v
