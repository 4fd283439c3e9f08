# make demo and make test do all their own set-up on a fresh machine with Go,
# Node and apt.
GO ?= go
export CGO_ENABLED = 0

.PHONY: build console demo test check lint bench soak setup types screenshots map source

build: console
	$(GO) build -o bin/restless ./cmd/restless

# The console is built again only when something of it changed.
console: web/dist/index.html

web/node_modules/.installed: web/package.json web/package-lock.json
	cd web && npm ci --no-audit --no-fund
	@touch $@

web/dist/index.html: web/node_modules/.installed web/index.html web/vite.config.ts $(shell find web/src web/public -type f)
	cd web && npm run build

demo: build
	bin/restless demo

# The real servers and the browser that tests drive.
setup:
	@if ! [ -x /usr/sbin/sshd ] || ! command -v chromium >/dev/null || ! [ -x /usr/sbin/vsftpd ] || ! command -v 7z >/dev/null || ! command -v zip >/dev/null || ! command -v unzip >/dev/null || ! command -v minisign >/dev/null || ! [ -x /usr/bin/python3 ]; then \
	  scripts/debian-packages openssh-server procps chromium vsftpd p7zip-full zip unzip python3 minisign; fi
	@[ -x bin/proftpd/usr/sbin/proftpd ] || scripts/debian-unpacked bin/proftpd proftpd-core '^lib(hiredis|memcached|memcachedutil|hashkit|pcre2-posix)'

test: setup build check source
	GOOS=windows $(GO) build -o /dev/null ./cmd/restless
	GOOS=darwin $(GO) build -o /dev/null ./cmd/restless
	bin/restless demo --once
	$(GO) test -count=1 -timeout 30m ./internal/e2e ./... # the longest first; the end-to-end tests build the binary, which the cache cannot see

# The console's types, lint, format and unit tests.
check: web/node_modules/.installed
	cd web && npm run check && npm run lint && npm test

lint: check source

# What can be said of the source without running it.
source:
	test -z "$$(gofmt -l cmd internal bench web/*.go)"
	$(GO) mod tidy -diff
	$(GO) vet ./...
	$(GO) run honnef.co/go/tools/cmd/staticcheck@v0.8.2 ./...

# Ratios against what people use today, in the same run.
bench: setup build
	@command -v unzip >/dev/null && command -v ip >/dev/null && command -v sshfs >/dev/null || scripts/debian-packages unzip iproute2 sshfs
	$(GO) run ./bench/staging
	$(GO) run ./bench/engine -out docs/benchmarks.md
	$(GO) run ./bench/growth -out docs/growth.md
	$(GO) run ./bench/needs
	$(GO) run ./bench/fleet -out docs/fleet.md
	$(GO) run ./bench/pages -out docs/pages.md

# What the service and the console hold over an hour of work.
steady: setup build
	$(GO) run ./bench/steady -out docs/steady.md

# Large random trees broken off at random over real servers, for as long as it
# takes: SOAK_ROUNDS says how many of each.
soak: setup build
	$(GO) test -count=1 -tags soak -timeout 0 -v -run 'TestSoak' ./internal/e2e

# The API's document, and the console's types made from it.
types:
	$(GO) run ./cmd/openapi > docs/openapi.json
	cd web && npm ci && npm run types

# The drawing of the packages, from their imports; a test keeps it current.
map:
	$(GO) run ./cmd/packagemap > docs/packages.md

# The pictures in docs/screenshots, from the demo's data.
screenshots: setup build
	$(GO) run ./cmd/screenshots
