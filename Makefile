# Two commands do everything: make demo and make test. The others are their parts.

SHELL := /bin/bash
.DELETE_ON_ERROR:

BINARY  := bin/vastspan
CONSOLE := internal/web/console/dist/index.html
MODULES := console/node_modules/.package-lock.json
GO_SOURCES := go.mod go.sum $(shell find api cmd core internal -name '*.go' -o -name '*.yaml' -o -name '*.csv' -o -name '*.sql')
CONSOLE_SOURCES := $(shell find console -path console/node_modules -prune -o -type f -print)

.PHONY: demo test test-packages test-service check check-go check-console build generate bench bench-cluster bench-load fuzz screenshots clean

demo: build ## Run the service on made-up records
	scripts/install postgresql
	exec $(BINARY) demo

test: ## Install what tests need, check and run everything; long randomised comparisons are short here
	scripts/install postgresql chromium-headless-shell clickhouse-server
	$(MAKE) --jobs=2 --output-sync=target --no-print-directory check-go check-console test-service test-packages

test-packages: build # unchanged packages are not run again
	go test -short -timeout 20m $$(go list ./... | grep -v /e2e$$)

test-service: build # the cache cannot see the binary that these tests build and run
	go test -short -timeout 20m -count=1 -parallel 3 ./e2e

check: check-go check-console ## Formatting, static checks, and that generated files are up to date

check-go:
	scripts/check go

check-console: $(MODULES)
	scripts/check console

build: $(BINARY) ## The binary, with the console in it

$(BINARY): $(CONSOLE) $(GO_SOURCES)
	go build -trimpath -ldflags "-s -w" -o $@ ./cmd/vastspan

$(CONSOLE): $(MODULES) $(CONSOLE_SOURCES)
	npm --prefix console run --silent build
	touch $@

$(MODULES): console/package.json console/package-lock.json
	npm --prefix console ci --no-audit --no-fund --loglevel=error
	touch $@

generate: $(MODULES) ## Make the files again that are generated from api/openapi.yaml
	go generate ./...
	npm --prefix console run --silent types

RECORDS ?= 1000000,3000000,10000000
LOAD_RECORDS ?= 10000000
CLUSTER_RECORDS ?= 3000000

bench: bench/node_modules/.package-lock.json ## Benchmarks side by side; they write docs/performance.md
	scripts/install postgresql
	go test -run '^$$' -bench . -benchmem ./core/... ./internal/columnstore
	go run ./bench -records $(RECORDS) -keep

bench/node_modules/.package-lock.json: bench/package.json bench/package-lock.json # an embedded columnar database, to compare with
	npm --prefix bench ci --no-audit --no-fund --loglevel=error
	touch $@

bench-cluster: ## Totals of a table over several servers, beside statements by hand
	scripts/install postgresql clickhouse-server
	go run ./bench/cluster -engine postgresql -servers 4 -records $(CLUSTER_RECORDS) -measure -keep
	go run ./bench/cluster -engine clickhouse -servers 3 -records $(CLUSTER_RECORDS) -measure -keep

bench-load: build ## Answers a second for many callers at once, and whether anything grows with the number of requests
	scripts/install postgresql
	go run ./bench/load -keep
	go run ./bench/load -records $(LOAD_RECORDS) -keep

fuzz: ## The randomised comparisons at full length, random requests, inputs that the span language stumbles over
	scripts/install postgresql clickhouse-server
	go test -timeout 1h ./core/... ./internal/store ./internal/service
	go test -timeout 1h -count=1 -run TestFaults ./e2e -rounds 200
	go test ./internal/web -run TestRandomRequests -requests 200000 -timeout 1h -v
	go test -run '^$$' -fuzz FuzzParse -fuzztime 2m ./core/span

screenshots: build ## Take the pictures of docs/screenshots again, from the demo
	scripts/install postgresql chromium-headless-shell
	go run ./docs/pictures

clean:
	rm -rf bin console/node_modules internal/web/console/dist/assets $(CONSOLE)
