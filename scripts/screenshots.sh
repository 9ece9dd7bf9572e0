#!/usr/bin/env bash
# Makes the pictures of docs/screenshots anew, from the demo's data.
set -euo pipefail
cd "$(dirname "$0")/.."
LEANCATCH_TEST_DB=$(scripts/postgres.sh start test fast)
export LEANCATCH_TEST_DB
e2e/server.sh make
e2e/server.sh shots 8432 &
app=$!
trap 'kill $app; wait $app 2>/dev/null || true; scripts/postgres.sh stop test' EXIT
until (exec 3<>/dev/tcp/127.0.0.1/8432) 2>/dev/null; do sleep 0.3; done
source scripts/install.sh
find_browser
node e2e/screenshots.js http://127.0.0.1:8432
