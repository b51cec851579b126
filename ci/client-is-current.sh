#!/bin/sh
# Fails where the committed description or client is not what the code gives.
set -e
fresh=$(mktemp -d)
trap 'rm -rf "$fresh"' EXIT
go run ./cmd/northneedle openapi > "$fresh/openapi.json"
cmp -s "$fresh/openapi.json" docs/openapi.json || { echo "docs/openapi.json is not current: run make client"; exit 1; }
(cd web && npx --no-install openapi-typescript ../docs/openapi.json -o "$fresh/schema.gen.ts" >/dev/null)
cmp -s "$fresh/schema.gen.ts" web/src/api/schema.gen.ts || { echo "web/src/api/schema.gen.ts is not current: run make client"; exit 1; }
