#!/usr/bin/env bash
# Measures the five main pages on a slow phone with Lighthouse and fails where one is below
# accessibility 100, best practice 100 or performance 95. Not a part of make test: it fetches
# Lighthouse from the package registry, and its figures depend on the machine.
set -euo pipefail
cd "$(dirname "$0")/.."
version=12.8.2
tool=.build/lighthouse
[ -x $tool/node_modules/.bin/lighthouse ] || npm install --prefix $tool --no-save --no-audit --no-fund --ignore-scripts --loglevel=error lighthouse@$version
LEANCATCH_TEST_DB=$(scripts/postgres.sh start test fast)
export LEANCATCH_TEST_DB
e2e/server.sh make
e2e/server.sh lighthouse 8432 &
app=$!
trap 'kill $app; wait $app 2>/dev/null || true; scripts/postgres.sh stop test' EXIT
until (exec 3<>/dev/tcp/127.0.0.1/8432) 2>/dev/null; do sleep 0.3; done
source scripts/install.sh
find_browser
failed=0
for page in board deliveries cold bench service; do
  CHROME_PATH=${CHROMIUM:-/usr/bin/chromium-headless-shell} $tool/node_modules/.bin/lighthouse "http://127.0.0.1:8432/k/harbour/$page" --quiet \
    --output=json --output-path="$tool/$page.json" --only-categories=performance,accessibility,best-practices \
    --chrome-flags="--headless --no-sandbox --disable-gpu"
  node -e '
    const { categories, audits } = require(process.argv[1]);
    const least = { performance: 95, accessibility: 100, "best-practices": 100 };
    const of = (id) => Math.round(100 * categories[id].score);
    const ms = (id) => Math.round(audits[id].numericValue) + " ms";
    console.log(process.argv[2].padEnd(11), Object.keys(least).map((id) => `${id} ${of(id)}`).join("  "), " blocked", ms("total-blocking-time"), " shown", ms("largest-contentful-paint"));
    process.exit(Object.entries(least).some(([id, n]) => of(id) < n) ? 1 : 0);
  ' "$PWD/$tool/$page.json" $page || failed=1
done
exit $failed
