# Two commands do all the set-up on a fresh machine: make demo, make test.
export CGO_ENABLED = 0
NEEDLE_ADDR ?= localhost:8360
NEEDLE_DATA ?= demo-data
export NEEDLE_ADDR NEEDLE_DATA
VERSION ?= $(shell git describe --always 2>/dev/null || echo development)

.PHONY: help demo demo-fresh dev test test-fast cover bench screenshots attack release web client notices build lint \
	fuzz clean lint-go lint-web types test-go test-web test-fast-go compiled browser made-files

help: ## What make can do
	@grep -hE '^[a-z-]+:.*## ' $(MAKEFILE_LIST) | sed 's/:.*## /\t/' | expand -t 16

demo: build ## Build, and serve the made-up health service
	./northneedle demo

demo-fresh: build ## The same, from a new record
	./northneedle demo --fresh

# The server as it is, and the pages by Vite, which loads a changed one at once.
dev: web/node_modules/.package-lock.json web ## Serve the demo with pages that reload as they are changed
	go run ./cmd/northneedle demo & trap "kill $$!" EXIT; cd web && npm run --silent dev

build: web ## Build the one binary
	go build -ldflags "-s -w -X main.version=$(VERSION)" -o northneedle ./cmd/northneedle

# The interface. npm writes node_modules/.package-lock.json when it has installed.
web/node_modules/.package-lock.json: web/package.json web/package-lock.json
	cd web && npm ci --no-audit --no-fund
	@touch $@

web: web/node_modules/.package-lock.json
	cd web && npm run --silent build

# The description of the API and the TypeScript client made from it; both are committed.
client: web/node_modules/.package-lock.json ## The description of the API and the client made from it
	go run ./cmd/northneedle openapi > docs/openapi.json
	cd web && npm run --silent client

notices: web ## The list of third parties' work that ships, with its licences
	go run ./ci/notices > THIRD_PARTY.md

# What waits for the network goes beside what waits for the compiler.
test: ## Everything: what CI runs
	@$(MAKE) --no-print-directory --output-sync=target -j2 compiled web browser
	@$(MAKE) --no-print-directory --output-sync=target -j2 test-go lint-go test-web lint-web made-files
	go test -vet=off -timeout 20m -parallel 4 ./e2e

lint: web ## Formatting, vet, staticcheck, types
	@$(MAKE) --no-print-directory --output-sync=target -j2 lint-go lint-web

# Everything but the browser and the whole scenarios.
test-fast: web/node_modules/.package-lock.json web ## What can be tested in two minutes, without a browser
	@$(MAKE) --no-print-directory --output-sync=target -j2 test-fast-go types

# What can be compiled before the pages are built, and the browser that the tests of pages drive.
compiled:
	go build ./core/... ./families/... ./internal/ledger ./internal/exchange ./internal/paper
browser:
	sh ci/debian.sh
made-files:
	sh ci/made-files-are-current.sh
# The tests of the pages are left out of staticcheck: it would read every command of the browser's protocol, for minutes.
lint-go:
	test -z "$$(gofmt -l cmd core instruments internal families web/*.go e2e perf)" || { gofmt -l cmd core instruments internal families web/*.go e2e perf; exit 1; }
	go vet ./...
	go tool staticcheck $$(go list ./... | grep -v -e node_modules -e /e2e)
lint-web: types
	cd web && npm run --silent lint
types: web/node_modules/.package-lock.json
	cd web && npm run --silent types
test-go:
	go test -vet=off $$(go list ./... | grep -v -e node_modules -e /e2e$$)
test-web:
	cd web && npm run --silent test
test-fast-go:
	go vet ./...
	go test -vet=off -short $$(go list ./core/... ./families/... ./internal/... | grep -v internal/demo)

cover: web/node_modules/.package-lock.json web ## Which lines the tests of the core and the record reach
	go test -coverprofile=cover.out -coverpkg=./core/...,./families/...,./internal/... ./core/... ./families/... ./internal/...
	go tool cover -func=cover.out | tail -1

# Figures and ratios; nothing is asserted.
bench: build ## Measure
	go run ./perf
	go test ./core -run '^$$' -bench . -benchmem

# The pictures in docs/screenshots, taken anew from the demo's data.
screenshots: build ## Take the pictures of docs/screenshots anew
	sh ci/debian.sh
	go run ./e2e/screenshots

# Each parser under the fuzzer for a while, and the API under whatever may be sent to it.
fuzz: ## Each parser under the fuzzer
	go test ./core/quantity -run '^$$' -fuzz 'FuzzParse$$' -fuzztime 30s
	go test ./core/conformity -run '^$$' -fuzz FuzzParseTolerance -fuzztime 30s
	go test ./core/quantity -run '^$$' -fuzz FuzzParseTable -fuzztime 30s
	go test ./internal/definition -run '^$$' -fuzz FuzzRead -fuzztime 30s
	go test ./internal/definition -run '^$$' -fuzz FuzzReadProfile -fuzztime 30s
	go test ./internal/files -run '^$$' -fuzz FuzzPhoto -fuzztime 30s
	go test ./internal/exchange -run '^$$' -fuzz FuzzReadImport -fuzztime 30s
	go test ./internal/exchange -run '^$$' -fuzz FuzzReadRun -fuzztime 30s
	go test ./internal/definition -run '^$$' -fuzz FuzzReadDuties -fuzztime 30s
	go test ./core/lot -run '^$$' -fuzz FuzzReadLabel -fuzztime 30s
	go test ./internal/sim -run '^$$' -fuzz FuzzCommands -fuzztime 30s
	go test ./internal/paper -run '^$$' -fuzz FuzzWords -fuzztime 30s -fuzzminimizetime 1x
	go test ./internal/paper -run '^$$' -fuzz FuzzCheckAPaper -fuzztime 30s

audit: web/node_modules/.package-lock.json ## What is known to be wrong with what it is made of; says so when the lists cannot be reached
	@go run golang.org/x/vuln/cmd/govulncheck@v1.1.4 ./... || echo "govulncheck: something was found, or its list could not be reached (see above)"
	@cd web && npm audit --omit=dev || echo "npm audit: something was found, or its list could not be reached (see above)"

attack: ## Days of several people at one server, and whatever may be sent to it
	go test ./internal/api -run TestADayUnderAttack -trials 60 -timeout 30m -v | grep -v INFO
	go test ./internal/api -run TestWhateverIsClaimedOfTheSetUp -trials 60 -timeout 20m -v | grep -v INFO
	go test ./internal/api -run TestTwoPeopleAtOneInstrument -moves 1000 -timeout 10m -v | grep -v INFO
	go test ./internal/api -run TestReadingsInTheDark -dark 1500 -timeout 40m -v | grep -v INFO
	go test ./internal/api -run TestStrangersGuess -guessed 240 -timeout 30m -v | grep -v INFO
	go test ./internal/api -run TestRequestsThatWereChangedOnTheirWay -mutated 5m -timeout 20m -v | grep -v INFO
	go test ./internal/sim -run TestAProcedureThatReadsWellCanBeTried -mutants 4000 -timeout 20m -v | grep -v INFO
	go test ./e2e -run TestManyGuessesTakeLittleMemory -guesses 1500 -timeout 20m -v
	go test ./internal/api -run TestAnything -rapid.seed $$(date +%s) -rapid.checks 600 -timeout 20m

release: web ## Binaries for five systems
	for target in linux/amd64 linux/arm64 windows/amd64 darwin/amd64 darwin/arm64; do \
	  GOOS=$${target%/*} GOARCH=$${target#*/} go build -trimpath -ldflags "-s -w -X main.version=$(VERSION)" \
	    -o dist/northneedle-$${target%/*}-$${target#*/}$$([ $${target%/*} = windows ] && echo .exe) ./cmd/northneedle || exit 1; done
	ls -l dist

clean: ## Remove what was built, and the demo's data
	rm -rf northneedle dist cover.out demo-data demo-data-keys web/dist/assets web/dist/index.html
