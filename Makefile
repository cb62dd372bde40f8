# Each target does the set-up that it needs: Go modules and npm packages come from their lock files.
GO      := CGO_ENABLED=0 go
VERSION := $(shell git describe --tags --always --dirty 2>/dev/null || echo 0.1.0)
LDFLAGS := -s -w -X main.version=$(VERSION)

.PHONY: build console programs demo test soak bench lint setup-tests screenshots clean

build: console programs

programs:
	$(GO) build -trimpath -ldflags '$(LDFLAGS)' -o bin/ropebench ./cmd/ropebench
	$(GO) build -trimpath -ldflags '-s -w' -o bin/zipsim ./demo/zipsim

console: console/dist/index.html

console/node_modules/.package-lock.json: console/package-lock.json
	cd console && npm ci --no-audit --no-fund --loglevel=error
	touch $@

console/dist/index.html: console/node_modules/.package-lock.json console/index.html console/vite.config.ts console/tsconfig.json service/openapi.yaml $(shell find console/src console/public -type f)
	cd console && npm run --silent build

demo: build
	bin/ropebench demo

# Everything: Go, the console's own tests, and the console in headless Chromium.
test: setup-tests build
	bash scripts/test.sh

setup-tests:
	bash scripts/install-debian.sh chromium calculix-ccx ngspice libreoffice-calc python3-uno

# A hundred kills within one run; the tests have twenty.
soak: setup-tests build
	ROPEBENCH_KILLS=100 $(GO) test -count=1 -timeout 30m -run TestAServiceThatIsKilledAgainAndAgainLosesNothing -v ./cmd/ropebench

bench: build
	bash scripts/bench.sh

lint: build
	@test -z "$$(gofmt -l $$(git ls-files '*.go'))" || { gofmt -l $$(git ls-files '*.go'); echo "run gofmt -w on these"; exit 1; }
	$(GO) vet ./...
	$(GO) tool staticcheck ./...
	cd console && npm run --silent lint

screenshots: setup-tests build
	bash scripts/screenshots.sh

clean:
	rm -rf bin console/node_modules console/dist/assets console/dist/index.html
