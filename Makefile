# Wobin: build, test and demo. Everything that is needed beyond Go, gcc, Node and npm is installed by these rules.
PORT ?= 8080
TAGS := sqlite_fts5
GO := go
NPM := npm --silent --no-fund --no-audit --no-update-notifier
WEB_FILES := $(shell find web/src web/public web/index.html web/package.json web/vite.config.mjs -type f)

.PHONY: demo test test-long test-days test-race build dev check format bench screenshots e2e clean chromium generate demo-files

build: bin/wobin

# Not npm ci: it refuses a lock file made where the builds for other systems cannot be had. Versions are the lock's.
web/node_modules/.done: web/package.json web/package-lock.json
	cd web && $(NPM) install --no-save
	@touch $@

web/dist/index.html: web/node_modules/.done $(WEB_FILES)
	cd web && $(NPM) run build -- --logLevel warn
	@touch $@

bin/wobin: web/dist/index.html go.mod go.sum $(shell find cmd internal web/embed.go -name '*.go')
	$(GO) build -tags $(TAGS) -trimpath -ldflags "-s -w" -o $@ ./cmd/wobin

demo: bin/wobin
	bin/wobin demo --addr 127.0.0.1:$(PORT)

# The same with the front end rebuilt at every change; open the address that vite prints.
dev: bin/wobin
	bin/wobin demo --addr 127.0.0.1:8080 & server=$$!; cd web && $(NPM) run dev; kill $$server

# Chromium for the tests of the screens: installed where it is missing and we may.
chromium:
	@command -v chromium >/dev/null || command -v google-chrome >/dev/null || \
	if [ "$$(id -u)" = 0 ] && command -v apt-get >/dev/null; then \
		apt-get update -qq && DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends chromium >/dev/null; \
	else echo "The tests of the screens need Chromium: install Debian's package chromium (apt-get install chromium)." >&2; exit 1; fi

# The longest rooms first; one more at a time than there are cores, as journeys wait for a browser much of the time.
test: bin/wobin chromium
	GOGC=400 $(GO) test -tags $(TAGS) -timeout 30m -p $$(($$(nproc) + 1)) ./test/e2e ./internal/desk/house ./internal/web ./...

# The properties of the house over ten times as many random cases as make test draws.
test-long:
	$(GO) test -tags $(TAGS) ./internal/desk/house -count=1 -rapid.checks=400 -timeout 60m

# The demo, journeys and all that has a clock, as at days on which dates go wrong, and in zones far from UTC.
test-days: bin/wobin chromium
	$(GO) run -tags $(TAGS) ./test/days

# What many do at once, under the race detector; it takes some minutes.
test-race:
	$(GO) test -race -tags $(TAGS) -timeout 20m ./internal/desk/house -run 'Race|AtOnce|Together|Draft|Cancel|Journey|Rules|Causes|People|Restore|Lists|Password'
	$(GO) test -race -tags $(TAGS) -timeout 20m ./internal/web -run 'Session|Stream|Attempt|Kinds|States|Slowed|Sign'

e2e: bin/wobin chromium
	$(GO) test -tags $(TAGS) -count=1 -timeout 30m ./test/e2e/...

# Writes what is made from the code: the OpenAPI description, the schema of layouts, the page of fields, the types of the front end.
generate: web/node_modules/.done
	@mkdir -p web/dist
	$(GO) run -tags $(TAGS) ./cmd/wobin openapi > api/openapi.json.new && mv api/openapi.json.new api/openapi.json
	$(GO) run -tags $(TAGS) ./cmd/wobin layout-schema > api/layout.schema.json.new && mv api/layout.schema.json.new api/layout.schema.json
	$(GO) run -tags $(TAGS) ./cmd/wobin layout-schema --adjustments > api/adjustment-layout.schema.json.new && mv api/adjustment-layout.schema.json.new api/adjustment-layout.schema.json
	$(GO) run -tags $(TAGS) ./cmd/wobin fields > docs/fields.md.new && mv docs/fields.md.new docs/fields.md
	cd web && $(NPM) run api >/dev/null

# Format, lint (staticcheck is pinned in go.mod), types, and that nothing made from the code is stale.
check: web/node_modules/.done
	@test -z "$$(gofmt -l cmd internal test web/embed.go)" || { gofmt -l cmd internal test web/embed.go; echo "Run make format."; exit 1; }
	@awk 'FILENAME !~ /schema.go$$/ && length > 140 && !/["`]/ {print FILENAME ":" FNR ": longer than 140 columns"; bad = 1} END {exit bad}' \
		$$(find cmd internal test -name '*.go') || { echo "Only a text that is longer by itself may go beyond 140 columns."; exit 1; }
	$(GO) mod tidy -diff
	$(GO) vet -tags $(TAGS) ./...
	$(GO) tool staticcheck -tags $(TAGS) ./...
	cd web && $(NPM) run check && $(NPM) run types
	@$(GO) run -tags $(TAGS) ./cmd/wobin openapi | cmp - api/openapi.json || { echo "api/openapi.json is stale. Run make generate."; exit 1; }
	@$(GO) run -tags $(TAGS) ./cmd/wobin layout-schema | cmp - api/layout.schema.json || { echo "api/layout.schema.json is stale. Run make generate."; exit 1; }
	@$(GO) run -tags $(TAGS) ./cmd/wobin layout-schema --adjustments | cmp - api/adjustment-layout.schema.json || { echo "api/adjustment-layout.schema.json is stale. Run make generate."; exit 1; }
	@$(GO) run -tags $(TAGS) ./cmd/wobin fields | cmp - docs/fields.md || { echo "docs/fields.md is stale. Run make generate."; exit 1; }
	@cd web && npx --no-install openapi-typescript ../api/openapi.json -o node_modules/.schema.d.ts >/dev/null 2>&1 && cmp node_modules/.schema.d.ts src/api/schema.d.ts || { echo "web/src/api/schema.d.ts is stale. Run make generate."; exit 1; }
	@echo "check: all good"

format: web/node_modules/.done
	gofmt -w cmd internal test web/embed.go
	cd web && $(NPM) run format

bench: bin/wobin
	@command -v sqlite3 >/dev/null || { echo "make bench measures against the sqlite3 shell: install Debian's package sqlite3."; exit 1; }
	$(GO) run -tags $(TAGS) ./test/bench
	$(GO) test -tags $(TAGS) ./internal/desk/house -count=1 -run TestWorldsEndAsTheTruth -rapid.checks=1000 -timeout 60m

screenshots: bin/wobin chromium
	$(GO) run -tags $(TAGS) ./test/shots

# The files to try with, as they stand in demo/files.
demo-files: bin/wobin
	rm -rf demo-data.files && bin/wobin demo --data demo-data.files --today 2026-11-24 --files demo/files.new && rm -rf demo-data.files demo/files && mv demo/files.new demo/files

clean:
	rm -rf bin web/dist/assets web/dist/index.html demo-data
