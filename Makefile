# Examen. "make help" lists the targets.

PORT ?= 8080
GO ?= go
export CGO_ENABLED = 1

CONSOLE = console/node_modules/.installed
DIST = internal/web/dist/index.html

.PHONY: help demo build test check unit repeated generate generated bench load shots package clean

help: ## list the targets
	@grep -hE '^[a-z]+:.*## ' $(MAKEFILE_LIST) | sed -E 's/^([a-z]+):.*## (.*)/  make \1\t\2/' | expand -t 18

demo: build ## start everything with made-up data at 127.0.0.1:8080 (PORT=... for another)
	@bin/examen demo --listen 127.0.0.1:$(PORT)

build: install $(DIST) ## build bin/examen, the console within it
	$(GO) build -o bin/examen ./cmd/examen

.PHONY: install
install: # what Debian has and this machine lacks
	@scripts/install postgresql gcc libc6-dev

$(CONSOLE): console/package.json console/package-lock.json
	cd console && npm ci --no-fund --no-audit --loglevel=error
	@touch $@

$(DIST): $(CONSOLE) console/index.html console/vite.config.ts $(shell find console/src console/public -type f)
	@rm -rf internal/web/dist/assets
	cd console && npm run --silent build
	@touch $@

test: build ## install what is missing, and run every check
	@scripts/install chromium fonts-liberation fonts-dejavu-core
	$(MAKE) --no-print-directory check generated unit

check: $(CONSOLE) # what needs no running program
	cd console && npm run --silent check
	@test -z "$$(gofmt -l cmd internal packs test)" || { gofmt -l cmd internal packs test; echo "run gofmt -w on these"; exit 1; }
	$(GO) vet ./...
	$(GO) tool -modfile=tools/go.mod staticcheck ./...

unit: # every Go test; those of test/ drive the whole, with Chromium in test/console, and begin first since they take longest
	@out=$$(mktemp -d); \
	{ $(GO) test -short -count=1 -timeout 75m ./test/... ./... 2>&1; echo $$? >$$out/code; } | tee $$out/log; \
	code=$$(cat $$out/code); \
	[ $$code = 0 ] || { echo "What failed, once more:"; grep -E '$(FAILED)' $$out/log | cut -c1-240 | head -40; }; \
	rm -r $$out; exit $$code

# the lines of a test's output that say what failed
FAILED = ^ *--- FAIL|^ +[a-z_]+_test\.go:[0-9]+|^panic: |has not ended after|^FAIL|\.go:[0-9]+:[0-9]+: 

REPEATED = TestNothingIsLostHoweverOften|TestServicesAreKilled|TestPracticeServersAreLost|TestTheRecordsFailOver

repeated: build ## the tests that kill services and servers, with all of their kills: a few minutes
	$(GO) test -count=1 -timeout 75m -run '$(REPEATED)' ./test

generate: $(CONSOLE) ## write again what is generated: from the contract, the queries and the packs' seed
	cd internal/records && $(GO) tool -modfile=../../tools/go.mod sqlc generate
	cd internal/web/contract && $(GO) tool -modfile=../../../tools/go.mod oapi-codegen -config oapi.yaml ../../../api/openapi.yaml
	cd internal/client && $(GO) tool -modfile=../../tools/go.mod oapi-codegen -config oapi.yaml ../../api/openapi.yaml
	cd console && npm run --silent generate
	$(GO) run ./packs/generate packs
	@$(GENERATED_SUMS) > tools/generated.sums

GENERATED = internal/records/query internal/web/contract internal/client/client.gen.go console/src/api/contract.d.ts packs/heather-hill/apiary/rows.sql
GENERATED_FROM = api/openapi.yaml internal/records/sqlc.yaml internal/records/migrations internal/records/queries internal/client/oapi.yaml \
	tools/go.mod tools/go.sum console/package-lock.json packs/generate
GENERATED_SUMS = find $(GENERATED) $(GENERATED_FROM) -type f | LC_ALL=C sort | xargs sha256sum

generated: # what is generated is of what it is generated from: both are as the last "make generate" left them
	@$(GENERATED_SUMS) | diff -q - tools/generated.sums >/dev/null || \
	{ echo "generated code, or what it comes of, has changed: run make generate, and commit it with tools/generated.sums"; exit 1; }

VERSION ?= 0.1.$(shell git rev-list --count HEAD)

package: install $(DIST) ## build a Debian package in dist/ (VERSION=... for another than by the number of commits)
	rm -rf dist && mkdir -p dist
	$(GO) build -trimpath -ldflags "-s -w -X examen/internal/cli.release=$(VERSION)" -o dist/examen ./cmd/examen
	$(GO) run ./deploy/debian/pages dist/pages $(VERSION)
	gzip -9n dist/pages/man1/*.1
	VERSION=$(VERSION) ARCH=$$(dpkg --print-architecture) \
		$(GO) tool -modfile=tools/go.mod nfpm package --config deploy/debian/nfpm.yaml --packager deb --target dist/

bench: build ## measure; every figure is a ratio to its counterpart in the same run
	$(GO) test -run '^$$' -bench . -benchtime 5s ./internal/core/compare ./internal/practice ./internal/grading ./test/...

load: build ## measure what learners cost, and check a simulation of 1,000 of them against a run
	$(GO) run ./test/load

shots: build ## renew docs/screenshots from the demo
	@scripts/install chromium fonts-liberation fonts-dejavu-core
	$(GO) run ./test/shots docs/screenshots

clean: ## remove what was built
	rm -rf bin dist internal/web/dist/assets internal/web/dist/index.html internal/web/dist/icon.svg console/node_modules
