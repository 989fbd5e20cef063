# make demo    sets everything up and runs the demo
# make test    sets everything up and passes the tests
# make help    lists the rest

.DEFAULT_GOAL := help
SHELL := /bin/bash
.SHELLFLAGS := -eu -o pipefail -c

client_sources := $(wildcard client/js/src/*.ts) client/js/package.json client/js/build.mjs client/js/vite.config.js
console_sources := $(shell find console/src console/public -type f) console/index.html console/vite.config.ts console/precompress.mjs
demo_sources := $(shell find demo/quayside demo/gangway -type f -not -path '*/build/*')

.PHONY: help setup build check lint test test-fast audit demo torture exact corpus bench generate recordings screenshots clean

help: ## list what can be made
	@grep -E '^[a-z]+:.*##' $(MAKEFILE_LIST) | sed -E 's/:.*## /\t/' | expand -t 14

setup: ## install what is missing (root's apt, npm)
	@scripts/setup

node_modules/.installed: package.json package-lock.json console/package.json client/js/package.json e2e/testdata/otel/package.json
	@echo "installing npm packages (npm ci)"
	@npm ci --no-fund --no-audit --loglevel=error >/dev/null
	@touch $@

client/js/dist/browser.js: node_modules/.installed $(client_sources)
	@npm run --silent build --workspace client/js
	@touch $@

console/dist/app/index.html: node_modules/.installed $(console_sources)
	@npm run --silent build --workspace console
	@touch $@

demo/quayside/build/.built: client/js/dist/browser.js $(demo_sources)
	@npm run --silent build --workspace demo/quayside
	@npm run --silent build --workspace demo/gangway
	@touch $@

bin/bosun: $(shell find demo/bosun client/go -type f)
	@go build -C demo/bosun -trimpath -o ../../bin/bosun .

bin/office: $(shell find demo/office -type f)
	@go build -C demo/office -trimpath -o ../../bin/office .

client/dist/.packed: client/js/dist/browser.js $(shell find client/go client/pack client/js/README.md -type f)
	@go run ./client/pack
	@touch $@

build: setup console/dist/app/index.html client/dist/.packed ## bin/firethorn with the console inside
	@go build $$(git status --porcelain > /dev/null 2>&1 && echo -buildvcs=true) -o bin/firethorn ./cmd/firethorn

check: setup node_modules/.installed client/js/dist/browser.js ## vet, formatting, linter, type checks
	@go vet ./...
	@go vet -C demo/bosun ./...
	@go vet -C demo/office ./...
	@go vet -C client/go ./...
	@bad=$$(gofmt -l bench client cmd console/*.go demo e2e internal scripts torture); test -z "$$bad" || { echo "not formatted (gofmt -w):"; echo "$$bad"; exit 1; }
	@go tool staticcheck ./...
	@scripts/house >/dev/null
	@cd client/go && go tool -modfile=../../go.mod staticcheck ./...
	@npm run --silent typecheck --workspace client/js
	@npm run --silent typecheck --workspace console
	@npm run --silent lint
	@node scripts/check-lock.mjs

lint: check ## the same as check

# The slow ones: browsers, databases that are killed, minutes of load.
slow := e2e|torture|bench|demo/|internal/(usecase|store|schema|worker|testbed|repository|intake|records|api$$|app|localdb|chromium|jobs|upkeep|metrics|git$$)

test-fast: node_modules/.installed client/js/dist/browser.js ## tests without browsers, and with few databases
	@go test $$(go list ./... | grep -vE '$(slow)')

# What has goroutines of its own: its tests run under the race detector.
racing := api/live|cache|db|follow|intake|jobs|metrics|outgoing|pipeline|worker

test-race: setup node_modules/.installed client/js/dist/browser.js ## tests of packages with goroutines, under the race detector
	@CGO_ENABLED=1 go test -race -timeout 15m $$(go list ./internal/... | grep -E '/internal/($(racing))$$')

test: build check demo/quayside/build/.built bin/bosun bin/office ## everything there is to pass
	@go test -C client/go ./...
	@FIRETHORN_CONSOLE=required go test -timeout 18m ./e2e
	@FIRETHORN_CONSOLE=required go test -timeout 18m $$(go list ./... | grep -vE '/(e2e|internal/($(racing)))$$')
	@$(MAKE) --no-print-directory test-race

audit: setup node_modules/.installed ## known vulnerabilities in what it is built from (needs their databases)
	@scripts/audit

demo: build demo/quayside/build/.built bin/bosun bin/office ## the service with two weeks of errors, and three live applications
	@go build -o bin/demo ./demo/play
	@exec bin/demo

torture: build ## 80 kills, freezes and lost networks under load, with merges, repeats, alerts and two weeks going by
	@go run ./torture -kills 80

exact: ## 2,000 random searches, each compared with a plain scan of the same events
	@FIRETHORN_SEARCHES=160 go test -count 1 -timeout 20m -run EqualsAPlainScan ./internal/usecase/find/plainscan

corpus: setup ## real bundles and maps to measure and to compare with (npm, some minutes)
	@cd corpus && npm ci --workspaces=false --ignore-scripts --no-fund --no-audit --loglevel=error >/dev/null
	@cd corpus && node maps.mjs && node names/build.mjs build/names && node names/build.mjs build/whole packages
	@cd corpus && node names/typed.mjs build/typed && node names/components.mjs build/components && node functions/tree.mjs build/functions node_modules
	@for half in seen unseen; do FIRETHORN_CORPUS=$(CURDIR)/corpus FIRETHORN_FUNCTIONS=$(CURDIR)/corpus/build/functions/$$half.json go test ./internal/core/scope -run Compiler -count=1 -v | grep ' right:'; done
	@for of in typed components; do FIRETHORN_TYPED=$(CURDIR)/corpus/build/$$of go test ./internal/core/symbols -run Typed -count=1 -v | grep ' of '; done

bench: build ## the figures of docs/performance.md that take minutes; go run ./bench -help lists the longer ones
	@go test -run xxx -bench . -benchmem ./internal/core/...
	@go run ./bench

generate: ## what is made from the code: docs/openapi.json, the console's types
	@go test ./internal/api -run Document -update
	@npm run --silent gen --workspace console

recordings: setup demo/quayside/build/.built ## run the demo's applications and record what they report
	@go run ./demo/record

screenshots: ## docs/screenshots, from a demo that runs
	@go run ./demo/shots

clean: ## remove all that was built
	@rm -rf bin node_modules client/js/dist console/dist/app demo/quayside/build demo/gangway/build demo/data demo/data-code
