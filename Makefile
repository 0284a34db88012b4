# The two commands for a fresh machine: make demo, make test.
# Others: make build, check, bench, accuracy, weights, realgames, screenshots, fuzz.

# No C library is linked in: the program starts sooner, and runs on any Linux.
export CGO_ENABLED = 0

# Where the program begins: before Go's runtime forgets which signals are ignored.
ENTRY = $(if $(filter linux/amd64 linux/arm64,$(shell go env GOOS)/$(shell go env GOARCH)),-E _endroit_start)

ADDRESS ?= 127.0.0.1:8417
VERSION ?= $(shell git describe --always --dirty 2>/dev/null || echo development)
GO_SOURCES := $(shell find . -name '*.go' -not -path './console/node_modules/*' -not -path './.run/*') go.mod go.sum \
	$(shell find service core -name '*.sql' -o -name '*.yaml' -o -name '*.json')
CONSOLE_SOURCES := $(shell find console/src console/public conformance/typescript -type f -not -path '*/dist/*' -not -name 'schema.gen.ts') console/index.html console/vite.config.ts console/tsconfig.json
MODULES := console/node_modules/.installed
CONSOLE := console/dist/index.html
STANDINS := bin/tidewrack bin/demo
export npm_config_fund = false
export npm_config_audit = false
export npm_config_update_notifier = false

.PHONY: all build demo test check cross bench accuracy weights realgames screenshots fuzz attack faults clean
.DELETE_ON_ERROR:

all: build

build: bin/endroit

$(MODULES): console/package.json console/package-lock.json
	@tools/need go node npm git
	@echo "The console's libraries are installed, from the npm registry:"
	@cd console && npm ci --silent --no-progress || { echo "endroit: npm could not install them. Is the network there, and does npm reach its registry?" >&2; exit 1; }
	@touch $@

console/src/api/schema.gen.ts: service/openapi.yaml $(MODULES)
	@cd console && npx --no-install openapi-typescript ../service/openapi.yaml -o src/api/schema.gen.ts >/dev/null
	@touch $@

$(CONSOLE): $(CONSOLE_SOURCES) console/src/api/schema.gen.ts
	@echo "The console is built"
	@cd console && npx --no-install vite build --logLevel warn

# Compiling the modules goes on beside the console's build: it takes the longest. Nothing
# that embeds the console is compiled meanwhile: its files are being replaced.
bin/.compiled: $(GO_SOURCES)
	@tools/need go
	@mkdir -p bin
	@echo "The program is compiled; Go fetches the modules that are missing from its proxy"
	@go build $$(go list -e -deps -f '{{with .Module}}{{if not .Main}}{{$$.ImportPath}}{{end}}{{end}}' ./cmd/... ./standin/...) || { echo "endroit: the program could not be built. If modules are missing: is the network there, and does go reach its module proxy?" >&2; exit 1; }
	@touch $@

bin/endroit: bin/.compiled $(CONSOLE)
	@go build -ldflags '$(ENTRY) -X endroit/cli.Version=$(VERSION)' -o $@ ./cmd/endroit

bin/%: bin/.compiled $(CONSOLE)
	@go build -o $@ ./standin/$*

demo:
	@tools/need go node npm postgres wine
	@$(MAKE) --no-print-directory -j2 bin/endroit $(STANDINS)
	@bin/demo -address $(ADDRESS)

# Everything that can fail: manners first, then the console's tests, then Go's,
# with the Windows build in a prefix that Wine makes.
test:
	@tools/need go node npm postgres chromium wine mingw bwrap btrfs
	@$(MAKE) --no-print-directory -j2 bin/endroit
	@$(MAKE) --no-print-directory check
	@cd console && npx --no-install vitest run
	ENDROIT_WINE=1 go test -timeout 30m ./...

check: cross
	@unformatted=$$(gofmt -l $$(git ls-files '*.go')); test -z "$$unformatted" || { echo "gofmt: $$unformatted"; exit 1; }
	go tool staticcheck ./...
	cd console && npm run --silent check

# Every system that the program is meant for: all of it is looked through, and the
# program is built. The first time takes minutes.
cross: $(CONSOLE)
	@for t in linux/amd64 linux/arm64 windows/amd64 darwin/arm64; do \
		echo "go vet and go build for $$t"; \
		GOOS=$${t%/*} GOARCH=$${t#*/} go vet ./... && GOOS=$${t%/*} GOARCH=$${t#*/} go build -o /dev/null ./cmd/endroit || exit 1; \
	done

# Ratios to the same program untraced, from one run; nothing is asserted.
bench: bin/endroit bin/tidewrack
	@tools/need go chromium wine cc
	@go run ./standin/bench -programs bin

# How well the judgement does on the collection of made-up ways to keep progress.
# Each is played by a program on real files; the real games come behind it.
accuracy: $(CONSOLE)
	@go test ./standin/plays -run 'TestAccuracy' -count=1 -timeout 30m -v -accuracy
	@go test ./standin/experiments -run 'TestAccuracy' -count=1 -timeout 10m -v -accuracy
	@$(MAKE) --no-print-directory realgames

# The weights of the judgement, fitted on the plays for tuning and on what realgames found.
weights:
	@tools/need go
	@go test ./standin/plays -run 'TestWeights' -count=1 -v -weights

# Real games from Debian's packages, played by two people each; as root. Not part of make test.
realgames:
	@tools/need go node npm tmux xvfb xdotool import package:openbox
	@$(MAKE) --no-print-directory -j2 bin/endroit
	@go run ./realgames

screenshots:
	@tools/need go node npm postgres chromium xvfb xterm xdotool import wine package:fonts-dejavu-core
	@$(MAKE) --no-print-directory -j2 bin/endroit $(STANDINS)
	@go run ./standin/screenshots

# A minute for each reader of what strangers send (SECONDS says how many), with how many
# inputs each tried.
SECONDS ?= 60
fuzz:
	@tools/fuzz $(SECONDS)

# The long lists of what is refused and accepted, with counts, and what races.
# The service and PostgreSQL are killed at random moments, with fsync on: KILLS=1000 for more.
KILLS ?= 300
COPIES ?= 1000
PROOFS ?= 500
faults: bin/endroit bin/faults
	@bin/faults -programs bin -kills $(KILLS)
	@bin/faults -programs bin -copies $(COPIES)
	@go test ./standin/experiments -run 'TestKilled' -count=1 -timeout 40m -v -accuracy -kills $(PROOFS) -seed $$(date +%s)

attack:
	@tools/attack

clean:
	rm -rf bin console/dist/assets console/dist/index.html console/node_modules .run
