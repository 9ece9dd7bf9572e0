#!/usr/bin/env bash
# Asks the databases of known weaknesses about what we depend on. Where one cannot
# be reached, it says so and goes on: only an answer can fail.
set -uo pipefail
cd "$(dirname "$0")/.."
failed=0

ask() { # NAME PATTERN-OF-NO-ANSWER COMMAND…
  local name=$1 unreachable=$2 said
  shift 2
  if said=$("$@" 2>&1); then
    echo "$name: nothing known."
  elif grep -qE "$unreachable" <<<"$said"; then
    echo "$name: NOT ASKED, its database cannot be reached from here."
  else
    echo "$said"
    failed=1
  fi
}

ask govulncheck 'dial tcp|no such host|could not resolve|fetching vulnerabilities' go tool govulncheck ./...
ask 'npm audit' 'audit endpoint returned an error|ENOTFOUND|EAI_AGAIN|ECONNREFUSED' npm audit --omit=optional
exit "$failed"
