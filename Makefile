# make demo and make test do all their own set-up on a fresh machine with Go,
# Node and apt.
GO ?= go
export CGO_ENABLED = 0

.PHONY: build demo test lint bench soak setup types

build:
	$(GO) build -o bin/restless ./cmd/restless

demo: build
	bin/restless demo

# The real servers and the browser that tests drive.
setup:
	@if ! [ -x /usr/sbin/sshd ]; then \
	  apt-get update -qq && DEBIAN_FRONTEND=noninteractive apt-get install -y -qq openssh-server procps >/dev/null; fi

test: setup build
	test -z "$$(gofmt -l cmd internal web/*.go)"
	$(GO) vet ./...
	GOOS=windows $(GO) build -o /dev/null ./cmd/restless
	GOOS=darwin $(GO) build -o /dev/null ./cmd/restless
	bin/restless demo --once
	$(GO) test -count=1 ./... # the end-to-end tests build the binary, which the cache cannot see

lint:
	test -z "$$(gofmt -l cmd internal web/*.go)"
	$(GO) vet ./...
	$(GO) run honnef.co/go/tools/cmd/staticcheck@v0.8.2 ./...

# Both belong to the engine: see docs/decisions/003-not-yet.md.
bench soak:
	@echo "$@: nothing is measured yet; see docs/decisions/003-not-yet.md"; exit 1

# The API's document, and the console's types made from it.
types:
	$(GO) run ./cmd/openapi > docs/openapi.json
	cd web && npm ci && npm run types
