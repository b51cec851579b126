#!/bin/sh
# Fails where a committed file that is made is not what the code gives.
set -e
fresh=$(mktemp -d)
trap 'rm -rf "$fresh"' EXIT
go run ./cmd/northneedle openapi > "$fresh/openapi.json"
cmp -s "$fresh/openapi.json" docs/openapi.json || { echo "docs/openapi.json is not current: run make client"; exit 1; }
(cd web && npx --no-install openapi-typescript ../docs/openapi.json -o "$fresh/schema.gen.ts" >/dev/null)
cmp -s "$fresh/schema.gen.ts" web/src/api/schema.gen.ts || { echo "web/src/api/schema.gen.ts is not current: run make client"; exit 1; }
# And where the list of third parties' work is not of what ships.
go run ./ci/notices > "$fresh/THIRD_PARTY.md"
cmp -s "$fresh/THIRD_PARTY.md" THIRD_PARTY.md || { echo "THIRD_PARTY.md is not current: run make notices"; exit 1; }
