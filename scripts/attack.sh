#!/usr/bin/env bash
# Attacks a demo of its own on loopback, bounded in count and time: what strangers can send without a
# sign-in must cost little, refuse nobody else, and say what is wrong. Prints a line an attack, and ends
# with an error where one gets through.
set -euo pipefail
cd "$(dirname "$0")/.."
make -s build
url=$(scripts/postgres.sh start attack fast)
work=$(mktemp -d)
address=127.0.0.1:$((8500 + RANDOM % 400))
site=http://$address
LEANCATCH_DATABASE_URL=$url .build/leancatch demo -data "$work" -addr "$address" >"$work/log" 2>&1 &
app=$!
stop() {
  kill "$app" 2>/dev/null || true
  wait "$app" 2>/dev/null || true
  scripts/postgres.sh drop attack
  rm -rf "$work"
}
trap stop EXIT
for _ in $(seq 240); do
  curl -sf "$site/healthz" >/dev/null && break
  sleep 0.5
done

failed=0
say() { # what, measured, whether it holds
  printf '%-62s %-34s %s\n' "$1" "$2" "$3"
  [ "$3" = holds ] || failed=1
}
memory() { awk '/VmRSS/ {print int($2 / 1024)}' "/proc/$app/status"; }
peak() { awk '/VmHWM/ {print int($2 / 1024)}' "/proc/$app/status"; }
now() { date +%s%N; }
since() { echo $((($(now) - $1) / 1000000)); }
# post PATH FILE [TYPE]: status and size of the answer
post() { curl -s -m 60 -o "$work/answer" -w '%{http_code} %{size_download}\n' -H "Content-Type: ${3:-application/json}" --data-binary "@$2" "$site$1"; }
holds() { if eval "$1"; then echo holds; else echo GETS THROUGH; fi; }

before=$(memory)
awk 'BEGIN { printf "{\"readings\":["; for (i = 0; i < 5000000; i++) printf "{},"; print "{}]}" }' >"$work/braces"
read -r status size < <(post /api/v1/calc/exposure "$work/braces")
say "15 MB of {} to a calculator" "$status, $size bytes, $(peak) MB at most" "$(holds '[ "$status" = 413 ] && [ "$size" -lt 1000 ]')"
head -c 240000 "$work/braces" >"$work/few"
echo '{}]}' >>"$work/few"
read -r status size < <(post /api/v1/calc/exposure "$work/few")
say "240 kB of {}" "$status, $size bytes" "$(holds '[ "$status" = 422 ] && [ "$size" -lt 4000 ]')"

awk 'BEGIN { printf "{\"species\":\"cod\",\"shape\":\"slab\",\"thickness_mm\":1,\"start_celsius\":5,\"h_w_m2k\":100000,\"max_hours\":1440,\"until\":{\"part\":\"core\",\"op\":\"le\",\"celsius\":-49},\"medium\":["
  for (i = 0; i < 499; i++) printf "%s{\"at_hours\":%.2f,\"celsius\":%d}", (i ? "," : ""), i * 2.88, (i % 2 ? 40 : -40); print "]}" }' >"$work/heat"
begin=$(now)
read -r status size < <(post /api/v1/calc/heat "$work/heat")
say "the costliest heat there may be" "$status, $(since "$begin") ms" "$(holds '[ "$(since "$begin")" -lt 10500 ]')"
begin=$(now)
clients=
for _ in $(seq 50); do
  curl -s -m 60 -o /dev/null --data-binary "@$work/heat" "$site/api/v1/calc/heat" &
  clients="$clients $!"
done
sleep 0.3
mid=$(now)
curl -s -m 20 -o /dev/null "$site/k/harbour/board"
board=$(since "$mid")
kill $clients 2>/dev/null || true
wait $clients 2>/dev/null || true
sleep 1
mid=$(now)
used=$(awk '{print $14 + $15}' "/proc/$app/stat")
sleep 2
used=$((($(awk '{print $14 + $15}' "/proc/$app/stat") - used)))
say "50 at once, then the clients leave: the board, and work left" "$board ms; $used ticks in 2 s" "$(holds '[ "$board" -lt 3000 ] && [ "$used" -lt 60 ]')"

head -c 200000000 /dev/zero >"$work/zero"
begin=$(now)
status=$(curl -s -m 30 -o /dev/null -w '%{http_code}' -F "x=@$work/zero" "$site/sign-in" || true)
say "200 MB of multipart to /sign-in" "$status, $(since "$begin") ms, $(find "${TMPDIR:-/tmp}" -maxdepth 1 -name 'multipart-*' | wc -l) files" \
  "$(holds '[ "$status" = 413 ] || [ "$status" = 415 ] || [ "$status" = 000 ]')"

begin=$(now)
slow=
for _ in $(seq 16); do
  (printf 'POST /k/harbour/import HTTP/1.1\r\nHost: %s\r\nOrigin: %s\r\nContent-Type: multipart/form-data; boundary=x\r\nContent-Length: 1000000\r\n\r\n--x\r\nContent-Disposition: form-data; name="file"; filename="a.csv"\r\n\r\n' "$address" "$site"
    for _ in $(seq 20); do echo "2026-01-01 00:00;1,0"; sleep 0.5; done) | curl -s -m 12 "telnet://$address" >/dev/null 2>&1 &
  slow="$slow $!"
done
sleep 1
begin=$(now)
curl -s -m 20 -o /dev/null "$site/k/harbour/board"
board=$(since "$begin")
say "16 uploads that trickle: the board" "$board ms" "$(holds '[ "$board" -lt 2000 ]')"
kill $slow 2>/dev/null || true
wait $slow 2>/dev/null || true

rows() { PGOPTIONS="-c client_min_messages=error" psql -qtA "$url" -c "$1"; }
audit=$(rows "select count(*) from audit")
wrong=0
for i in $(seq 60); do
  status=$(curl -s -o /dev/null -w '%{http_code}' -d "with=password&user_name=nobody$i&password=guess$i" "$site/sign-in")
  [ "$status" = 303 ] && wrong=1
done
begin=$(now)
status=$(curl -s -m 20 -o /dev/null -w '%{http_code}' -c "$work/cookies" -d "with=password&user_name=ansa&password=$(cat "$work/demo-password")" "$site/sign-in")
say "60 guesses from one address: rows of the audit" "$(($(rows "select count(*) from audit") - audit))" "$(holds '[ "$wrong" = 0 ] && [ "$(($(rows "select count(*) from audit") - audit))" -lt 5 ]')"
sleep 11
status=$(curl -s -m 20 -o /dev/null -w '%{http_code}' -c "$work/cookies" -d "with=password&user_name=ansa&password=$(cat "$work/demo-password")" "$site/sign-in")
say "the right password from there, eleven seconds later" "$status" "$(holds '[ "$status" = 303 ]')"
for i in $(seq 30); do curl -s -o /dev/null -d "with=password&user_name=ansa&password=guess$i" "$site/sign-in"; done
status=$(curl -s -m 20 -o /dev/null -w '%{http_code}' -b "$work/cookies" -d "with=password&user_name=ansa&password=$(cat "$work/demo-password")" "$site/sign-in")
say "the same browser again, after 30 guesses at that user name" "$status" "$(holds '[ "$status" = 303 ]')"

for i in $(seq 200); do curl -s -o /dev/null -X "METHOD$i" "$site/k/harbour/board"; done
labels=$(curl -s "$site/metrics" | grep -c 'leancatch_http_seconds_count' || true)
say "200 methods that are none: rows of the metrics" "$labels" "$(holds '[ "$labels" -lt 60 ]')"
token=$(cat "$work/demo-token")
echo '[{"n":"walk-in-air","u":"Cel","v":1,"t":283996800}]' >"$work/old"
status=$(curl -s -o "$work/answer" -w '%{http_code}' -H "Authorization: Bearer $token" -H 'Content-Type: application/senml+json' --data-binary "@$work/old" "$site/api/v1/readings")
say "a reading of 1979" "$status, $(rows "select count(*) from pg_class where relname like 'reading_19%'") partitions" "$(holds '[ "$(rows "select count(*) from pg_class where relname like '"'reading_19%'"'")" = 0 ]')"
say "strangers ask whether it is ready" "$(curl -s "$site/readyz")" "$(holds '[ "$(curl -s "$site/readyz")" = ready ]')"
say "memory: before, now, at most" "$before, $(memory), $(peak) MB" "$(holds '[ "$(peak)" -lt 700 ]')"
exit $failed
