# Two commands do all the set-up on a fresh machine: make demo, make test.
export CGO_ENABLED = 0
NEEDLE_ADDR ?= localhost:8360
NEEDLE_DATA ?= demo-data
export NEEDLE_ADDR NEEDLE_DATA
VERSION ?= $(shell git describe --always 2>/dev/null || echo development)

.PHONY: demo demo-fresh test bench screenshots release web client build chromium types lint fuzz clean

demo: build
	./northneedle demo

demo-fresh: build
	./northneedle demo --fresh

build: web
	go build -trimpath -ldflags "-s -w -X main.version=$(VERSION)" -o northneedle ./cmd/northneedle

# The interface. npm writes node_modules/.package-lock.json when it has installed.
web/node_modules/.package-lock.json: web/package.json web/package-lock.json
	cd web && npm ci --no-audit --no-fund
	@touch $@

web: web/node_modules/.package-lock.json
	cd web && npm run --silent build

# The description of the API and the TypeScript client made from it; both are committed.
client: web/node_modules/.package-lock.json
	go run ./cmd/northneedle openapi > docs/openapi.json
	cd web && npm run --silent client

test: lint build
	sh ci/client-is-current.sh
	cd web && npm run --silent test
	sh ci/debian.sh
	go test -timeout 20m -parallel 4 $$(go list ./... | grep -v node_modules)

lint: web/node_modules/.package-lock.json web
	test -z "$$(gofmt -l cmd core internal families web/*.go e2e perf)" || { gofmt -l cmd core internal families web/*.go e2e perf; exit 1; }
	go vet ./...
	go tool staticcheck ./...
	cd web && npm run --silent types && npm run --silent lint

# Figures and ratios; nothing is asserted.
bench: build
	go run ./perf
	go test ./core -run '^$$' -bench . -benchmem

# The pictures in docs/screenshots, taken anew from the demo's data.
screenshots: build
	sh ci/debian.sh
	go run ./e2e/screenshots

# Each parser under the fuzzer for a while, and the API under whatever may be sent to it.
fuzz:
	go test ./core/quantity -run '^$$' -fuzz 'FuzzParse$$' -fuzztime 30s
	go test ./core/conformity -run '^$$' -fuzz FuzzParseTolerance -fuzztime 30s
	go test ./core/quantity -run '^$$' -fuzz FuzzParseTable -fuzztime 30s
	go test ./procedures -run '^$$' -fuzz FuzzRead -fuzztime 30s
	go test ./internal/link -run '^$$' -fuzz FuzzParseLine -fuzztime 30s
	go test ./internal/exchange -run '^$$' -fuzz FuzzReadImport -fuzztime 30s
	go test ./internal/exchange -run '^$$' -fuzz FuzzReadRun -fuzztime 30s
	go test ./procedures -run '^$$' -fuzz FuzzReadDuties -fuzztime 30s
	go test ./core/lot -run '^$$' -fuzz FuzzReadLabel -fuzztime 30s
	go test ./internal/standin -run '^$$' -fuzz FuzzCommands -fuzztime 30s
	go test ./internal/paper -run '^$$' -fuzz FuzzWords -fuzztime 30s -fuzzminimizetime 1x
	go test ./internal/api -run TestAnything -rapid.seed $$(date +%s) -rapid.checks 600 -timeout 20m

release: web
	for target in linux/amd64 linux/arm64 windows/amd64 darwin/amd64 darwin/arm64; do \
	  GOOS=$${target%/*} GOARCH=$${target#*/} go build -trimpath -ldflags "-s -w -X main.version=$(VERSION)" \
	    -o dist/northneedle-$${target%/*}-$${target#*/}$$([ $${target%/*} = windows ] && echo .exe) ./cmd/northneedle || exit 1; done
	ls -l dist

clean:
	rm -rf northneedle dist demo-data web/dist/assets web/dist/index.html
