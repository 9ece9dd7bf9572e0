#!/usr/bin/env bash
# Builds styles and scripts into internal/web/static/dist, from where they are
# embedded into the binary. The server needs no Node at run time.
set -euo pipefail
cd "$(dirname "$0")/.."
src=internal/web/static/src dist=internal/web/static/dist
rm -rf "$dist" && mkdir -p "$dist"
npx --no-install tailwindcss -i "$src/app.css" -o "$dist/app.css" --minify 
cp "$src/app.js" "$src/forms.js" "$src/chart.js" "$src/board.js" "$src/live.js" "$src/icon.svg" "$dist/"
cp node_modules/uplot/dist/uPlot.iife.min.js "$dist/uplot.js"
cp node_modules/htmx.org/dist/htmx.min.js "$dist/htmx.js"
cp node_modules/idiomorph/dist/idiomorph.min.js "$dist/idiomorph.js"
cp node_modules/@fontsource-variable/atkinson-hyperlegible-next/files/atkinson-hyperlegible-next-latin-wght-normal.woff2 "$dist/text.woff2"
cp node_modules/@fontsource/barlow-condensed/files/barlow-condensed-latin-600-normal.woff2 "$dist/figures.woff2"
for f in "$dist"/*.css "$dist"/*.js; do gzip -9 -k -n "$f"; done
cat "$dist"/*.css "$dist"/*.js internal/drawing/*.go | cksum | cut -d' ' -f1 >"$dist/version"
