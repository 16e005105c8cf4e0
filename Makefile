# make demo and make test do everything on a machine with Go, Node and npm.

GO ?= go
LIMIT ?= timeout 1200
SOURCES := $(shell find cmd internal e2e web/embed.go -name '*.go') $(shell find internal/sqlite/migrations -name '*.sql')
PAGES := $(shell find web/src web/public -type f) web/index.html web/vite.config.ts web/package.json

# The browser tests run in two halves side by side: mostly they wait.
LISTED := EveryPage|TwentyRows|Keyboard|ManyNames|Shortfall
WALKS := $(LISTED)|EveryForm|CatchesUp|ASuiteFolds|ARuleDecides|UpgradeAndItsBase|TwoDecide|DraftsOf|ANewer

# What the program is tested by without cgo.
DRIVER := KnownThen|MachinesInAnyOrder|WhatHappens|Touched|StoredEquals|SplitsAddUp

.PHONY: build demo test check go-test nocgo-test web-check e2e types shots changes bench bench-changes profiles growth bench-again bench-rights bench-use bench-previews bench-directory bench-waits bench-past bench-names evaluate evaluate-identity starter load copies golden fuzz chromium slapd clean

build: bin/ensomet

bin/ensomet: $(SOURCES) web/dist/index.html go.mod go.sum
	$(GO) build -o $@ ./cmd/ensomet

web/node_modules/.installed: web/package-lock.json
	cd web && npm ci --no-audit --no-fund
	touch $@

web/dist/index.html: web/node_modules/.installed $(PAGES)
	cd web && npm run build
	touch web/dist/.keep

demo: build
	./bin/ensomet demo

test:
	$(MAKE) -j2 -O check web-check
	$(MAKE) go-test
	$(MAKE) nocgo-test
	$(MAKE) e2e

check:
	@out=$$(gofmt -l cmd internal e2e web/embed.go); if [ -n "$$out" ]; then echo "gofmt these:"; echo "$$out"; exit 1; fi
	$(GO) vet ./...
	$(GO) tool staticcheck ./...
	@out=$$($(GO) test ./internal/program -count=1 -v -run '^(TestLinesEnd|TestRoomsAreSmall|TestImportsPointOneWay)$$'); code=$$?; \
	echo "$$out" | grep -v '^=== RUN'; exit $$code
	@big=$$(git ls-files -s | awk '$$1 != "160000" {print $$4}' | grep -v '\.png$$' | while read -r f; do [ -f "$$f" ] && [ $$(wc -c <"$$f") -gt 1000000 ] && echo "$$f"; done; true); \
	if [ -n "$$big" ]; then echo "over 1 MB, and not a picture: leave these out of the repository:"; echo "$$big"; exit 1; fi

web-check: web/node_modules/.installed bin/ensomet
	./bin/ensomet openapi > .openapi.now && cmp .openapi.now docs/openapi.json || { rm -f .openapi.now; echo "docs/openapi.json is not what the program says: run make types"; exit 1; }
	@rm -f .openapi.now
	cd web && npm run check && npm run lint

go-test: slapd
	$(LIMIT) $(GO) test -timeout 18m ./bench ./cmd/... ./internal/...

# The other driver of SQLite: all tests of the file, and of the program those that lean on it most.
nocgo-test:
	CGO_ENABLED=0 $(GO) build -o /dev/null ./cmd/ensomet
	CGO_ENABLED=0 $(LIMIT) $(GO) test -short ./internal/sqlite/... & \
	CGO_ENABLED=0 $(LIMIT) $(GO) test -short ./internal/program -run '$(DRIVER)'; code=$$?; wait $$! && exit $$code

# Two thousand changes of every kind, each renewed by what it touches, held against renewing everything; and fifty
# moments at which the program is killed; a file of a million lines whose last is bad: some minutes.
changes:
	ENSOMET_CHANGES=2000 $(GO) test ./internal/program -run RenewingWhatIsTouched -count=1 -timeout 30m
	ENSOMET_KILLS=50 $(GO) test ./internal/program -run KilledWhileItRenews -count=1 -v
	ENSOMET_LINES=1000000 $(GO) test ./cmd/ensomet -run ALongFileAndABadLast -count=1 -v

e2e: web/dist/index.html chromium slapd
	$(GO) build ./e2e/...
	rm -rf .e2e && mkdir .e2e && $(GO) test -c -o .e2e/e2e.test ./e2e
	cd e2e && ENSOMET_E2E_DEMO=../.e2e/demo.db timeout 300 ../.e2e/e2e.test -test.run '^$$'
	cd e2e && export ENSOMET_E2E_DEMO=../.e2e/demo.db; \
	timeout 1700 ../.e2e/e2e.test -test.timeout 28m -test.run '$(WALKS)' & \
	timeout 1700 ../.e2e/e2e.test -test.timeout 28m -test.skip '$(WALKS)'; code=$$?; wait $$! && exit $$code

# Debian's Chromium without its windows, where it is missing and may be installed; a whole one serves as well, slower.
chromium:
	@command -v chromium-headless-shell >/dev/null || \
	if [ "$$(id -u)" = 0 ] && command -v apt-get >/dev/null && apt-get update && \
		apt-get install -y --no-install-recommends chromium-headless-shell; then :; \
	elif command -v chromium >/dev/null || command -v chromium-browser >/dev/null || command -v google-chrome >/dev/null; then :; \
	else echo "The browser tests need Chromium: install it with  sudo apt-get install chromium-headless-shell"; exit 1; fi

# The directory server with which reading over LDAP is tested; without it that test is skipped.
slapd:
	@command -v slapd >/dev/null || [ -x /usr/sbin/slapd ] || \
	if [ "$$(id -u)" = 0 ] && command -v apt-get >/dev/null; then \
		apt-get update && DEBIAN_FRONTEND=noninteractive apt-get install -y --no-install-recommends slapd || true; \
	else echo "Reading over LDAP is not tested: install slapd with  sudo apt-get install slapd"; fi

# After a change of the API: its description, and the types that the pages use.
types: web/node_modules/.installed
	$(GO) run ./cmd/ensomet openapi > docs/openapi.json
	cd web && npm run types

# The pictures of docs/screenshots, from a fresh demo.
shots: build chromium
	rm -rf .shots && mkdir .shots
	./bin/ensomet demo --db .shots/demo.db --listen 127.0.0.1:8377 & echo $$! > .shots/pid; \
	sleep 20; $(GO) run ./e2e/shots -url http://127.0.0.1:8377 -out docs/screenshots; kill $$(cat .shots/pid); rm -rf .shots

bench:
	$(GO) run ./bench

# What one change costs until every list has it, on 1,000, 10,000 and 100,000 devices: some ten minutes.
bench-changes:
	$(GO) run ./bench -changes

# Where the processor's time goes while files are taken in, one thing changes, and everything is computed.
profiles:
	rm -rf .profiles && mkdir .profiles
	$(GO) run ./bench -changes -devices 10000 -profiles .profiles
	for step in import moves everything; do \
		$(GO) tool pprof -top -cum -nodecount 60 .profiles/$$step.prof | grep -E 'Total|flat|ensomet'; done

# docs/growth.svg from docs/growth.csv, whose figures bench-changes measured.
growth: web/node_modules/.installed
	cd web && node scripts/growth.mjs

# What recognising 8 million installs anew costs after a change of the catalogue.
bench-again:
	$(GO) run ./bench -again

# Positions over five thousand lines of all metrics, on 8 million installs: some ten minutes.
bench-rights:
	$(GO) run ./bench -rights

# Use of 1,000 machines over 400 days, and a year of a pool's events: some ten minutes.
bench-use:
	$(GO) run ./bench -use

# What years of daily scans leave in the file, and what forgetting them takes and gives back: some minutes.
bench-past:
	$(GO) run ./bench -past

# How long a writer waits while effects of changes are asked for, on 56,000 raw records: two minutes.
bench-previews:
	$(GO) run ./bench -previews

# A directory of a million entries, taken in three times: some minutes.
bench-directory:
	$(GO) run ./bench -directory 1000000

# How well names are recognised, on the demo's names, on open data and on the packages of this machine; on Debian, as root.
evaluate:
	@ls /var/lib/apt/lists/*_dep11_Components-* >/dev/null 2>&1 || { apt-get install -y --no-install-recommends appstream && apt-get update; }
	$(GO) run ./bench/evaluate

# How well records of machines and people are joined, on simulated estates whose truth is known.
evaluate-identity:
	ENSOMET_MACHINES=20000 ENSOMET_PEOPLE=15000 $(GO) test ./internal/core/identity -run TestSimulated -v -count=1 -timeout 20m
	GOMAXPROCS=1 $(GO) test ./internal/core/identity -run '^$$' -bench . -benchtime 1x
	$(GO) test ./internal/program -run '^$$' -bench OneScanFindsItsDevice

# The starter catalogue anew, from this machine's component data; on Debian, as root.
starter:
	@ls /var/lib/apt/lists/*_dep11_Components-* >/dev/null 2>&1 || { apt-get install -y --no-install-recommends appstream && apt-get update; }
	$(GO) run ./internal/starter/make

# How long somebody who saves something waits while 800,000 installs are taken in: two minutes.
bench-waits:
	$(GO) run ./bench -waits

# Names recognised and proposed per second, with 5,000 and 50,000 products.
bench-names:
	$(GO) test ./internal/core/recognise -run '^$$' -bench . -benchmem -benchtime 2s

# A fleet that reports while lists are read.
load:
	$(GO) run ./bench/load

# The machine lost twenty times under load, and gone on with from the copy elsewhere; the first time, building what
# keeps the copy takes some minutes.
LITESTREAM := v0.5.18
copies: bin/ensomet
	mkdir -p .copies && cp bin/ensomet .copies/
	[ -x .copies/litestream ] || GOBIN=$(CURDIR)/.copies GOFLAGS=-mod=mod \
		$(GO) install github.com/benbjohnson/litestream/cmd/litestream@$(LITESTREAM)
	$(GO) run ./bench/copies

# All that the demo says on three days, held against what it said before: some minutes.
golden:
	$(GO) test ./internal/standin -run TestGolden -count=1 -timeout 20m -golden-all

fuzz:
	for t in internal/formats:FuzzAgainstStandardLibrary internal/formats:FuzzReaderNeverFailsBadly internal/formats:FuzzParsers internal/formats:FuzzLDIF internal/formats:FuzzScanDocuments internal/formats:FuzzWorkbook internal/formats:FuzzCatalogueComesBack internal/core/catalogue:FuzzMergeSets internal/core/licencekey:FuzzFold internal/collect:FuzzDpkgAndDesktop internal/core/recognise:FuzzTakeApart internal/core/version:FuzzCompareIsAnOrder internal/core/condition:FuzzLike internal/core/usage:FuzzPair internal/formats:FuzzOSEvents internal/formats:FuzzJSONLines; do \
	$(GO) test ./$${t%%:*} -run '^$$' -fuzz "^$${t##*:}$$" -fuzztime 60s || exit 1; done

clean:
	rm -rf bin .e2e web/node_modules web/dist/* data
	touch web/dist/.keep
