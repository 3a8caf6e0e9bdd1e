#!/usr/bin/env bash
# Builds (build) or checks (check) the console with the machine's own npm. Does nothing when its sources have not changed.
set -euo pipefail
cd "$(dirname "$0")"
mkdir -p target
sum() { find package-lock.json package.json index.html tsconfig.json vite.config.ts eslint.config.js src public ../api/openapi.json -type f ! -name schema.d.ts -print0 | sort -z | xargs -0 sha256sum | sha256sum | cut -d' ' -f1; }
lock=$(sha256sum package-lock.json | cut -d' ' -f1)
if [ "$(cat node_modules/.lock-sum 2>/dev/null || true)" != "$lock" ]; then
  npm ci --ignore-scripts --no-audit --no-fund
  echo "$lock" > node_modules/.lock-sum
fi
now=$(sum)
[ "$(cat "target/$1.sum" 2>/dev/null || true)" = "$now" ] && exit 0
case "$1" in
  build) npm run --silent build ;;
  check) npm run --silent lint; npm run --silent typecheck; npm run --silent test ;;
esac
echo "$now" > "target/$1.sum"
