# make demo and make test each work as the first command on a fresh Debian
# machine with Go, Node and make.

.PHONY: demo demo-reset build test laws bench lint generate screenshots lighthouse clean

assets := internal/web/static/dist/version
asset_sources := package-lock.json scripts/assets.sh $(shell find internal/web/static/src internal/web/views internal/drawing -type f)
go_sources := go.mod go.sum $(shell find cmd internal -name '*.go' -o -name '*.sql' -o -name '*.json' -o -name '*.csv')

demo: build ## start with invented data; Ctrl-C stops it
	@scripts/demo.sh

demo-reset: ## forget the demo's data
	@scripts/postgres.sh drop demo
	@rm -f .data/demo-token

build: .build/leancatch ## one binary, styles and scripts inside

.build/leancatch: $(assets) $(go_sources)
	@mkdir -p .build
	go build -ldflags "-X main.revision=$$(git rev-parse --short=12 HEAD 2>/dev/null)" -o $@ ./cmd/leancatch

node_modules/.package-lock.json: package.json package-lock.json
	npm install --no-save --no-audit --no-fund --ignore-scripts --loglevel=error
	@touch $@

$(assets): node_modules/.package-lock.json $(asset_sources)
	scripts/assets.sh

test: build ## all tests: Go and browser
	@scripts/test.sh

laws: ## the laws of the judgement, each over 5 000 random histories
	go test ./internal/core/history -count=1 -laws 5000

bench: build ## speeds and sizes, as a table
	@scripts/bench.sh

lint: $(assets) ## gofmt, vet, staticcheck, known weaknesses of what we depend on
	@test -z "$$(gofmt -l cmd internal)" || { gofmt -l cmd internal; echo "gofmt would change these"; exit 1; }
	go vet ./...
	go tool staticcheck ./...
	scripts/audit.sh

generate: ## Go from the SQL in internal/store/queries
	cd internal/store && go run github.com/sqlc-dev/sqlc/cmd/sqlc@v1.30.0 generate

screenshots: build ## the pictures of docs/screenshots, from the demo's data
	@scripts/screenshots.sh

lighthouse: build ## the five main pages on a slow phone, by Lighthouse
	@scripts/lighthouse.sh

clean:
	rm -rf .build internal/web/static/dist test-results
