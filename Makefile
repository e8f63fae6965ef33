# What a newcomer needs: make demo. See README.md.
SHELL := /bin/bash
export CGO_ENABLED := 0
GO ?= go

.PHONY: help setup build demo check test race bench pictures clean

help: ## list the targets
	@grep -E '^[a-z]+:.*##' $(MAKEFILE_LIST) | sed -E 's/:.*## /\t/'

setup: ## install what is missing: Debian's packages for running, npm packages
	@./setup.sh server ui

build: setup ui/dist/app/index.html bin/viandante ## the page, and the program with the page inside

ui_sources := $(shell find ui/src ui/public ui/wasm style -type f -not -name '*.wasm' -not -name schema.d.ts 2>/dev/null) \
	ui/index.html ui/package-lock.json ui/vite.config.ts ui/tsconfig.json server/openapi.yaml
ui/dist/app/index.html: $(ui_sources) ui/node_modules/.made
	@echo "Building the page …"
	@cd ui && npm run --silent build >build.log.tmp 2>&1 || { cat build.log.tmp; exit 1; }
	@touch $@

ui/node_modules/.made: ui/package-lock.json
	@./setup.sh ui

go_sources := $(shell find cmd codec core demo imagery regionfile server service standin store ui style world \
	-name '*.go' -not -name '*_test.go' 2>/dev/null) go.mod go.sum $(wildcard store/migrations/*.sql world/*.gz) server/openapi.yaml
bin/viandante: $(go_sources) ui/dist/app/index.html
	@echo "Building the program …"
	@$(GO) build -trimpath -o $@ ./cmd/viandante

demo: build ## everything: set up, build, serve the made-up island; ARGS=--phone for phones of the network, too
	@exec ./bin/viandante demo $(ARGS)

check: ## how the code is written: gofmt, vet, staticcheck; for the page vue-tsc, ESLint, Prettier
	@./setup.sh ui
	@unformatted=$$(gofmt -l $$(find . -name '*.go' -not -path '*/node_modules/*')); \
		[ -z "$$unformatted" ] || { echo "Not formatted by gofmt: $$unformatted"; exit 1; }
	@cd ui && npm run --silent api >/dev/null && npm run --silent wasm
	@(cd ui && npm run --silent check) & page=$$!; \
		$(GO) vet ./... && $(GO) tool staticcheck ./...; code=$$?; wait $$page && exit $$code

test: ## the checks and all tests, the page in headless Chromium among them
	@./setup.sh server browser ui
	@$(MAKE) --no-print-directory check
	@$(MAKE) --no-print-directory ui/dist/app/index.html
	@# The end-to-end tests take longest and wait a lot: they run beside all others from the start.
	@$(GO) test -vet=off -timeout 20m ./e2e & whole=$$!; \
		$(GO) test -vet=off -timeout 20m -p 1 $$($(GO) list ./... | grep -v '/e2e$$'); others=$$?; \
		wait $$whole && exit $$others

# The server's tests in which many ask, write, follow or fail at the same time.
together := Many|Lost|Key|Still|Stream|Nonsense|Sign|Twice|Once|Pages

race: ## the tests of what many do at once, under the race detector
	@./setup.sh server race
	@CGO_ENABLED=1 $(GO) test -vet=off -race -short -timeout 10m ./core/spatial ./core/region ./core/road ./store \
		./service ./service/catalog ./service/feed ./service/background
	@CGO_ENABLED=1 $(GO) test -vet=off -race -short -timeout 10m -run '$(together)' ./server

bench: build ## the benchmarks, each beside what it is compared with
	@./setup.sh browser
	@$(GO) run ./bench

pictures: ## docs/screenshots from a running demo
	@./setup.sh browser
	@$(GO) run ./e2e/pictures

clean: ## remove what was built; the data in var stays
	@rm -rf bin ui/dist/app ui/node_modules
