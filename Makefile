# Everything a fresh machine needs: a Rust toolchain, Node.js with npm, and (as root on Debian) apt-get.
.PHONY: demo dev quick test lint fmt bench screenshots api need pages
SHELL := /bin/bash

need: ## Installs the web packages, and Debian's chromium where it is missing.
	@command -v node >/dev/null || { echo "Node.js is missing. Install Node.js 20 or newer."; exit 1; }
	@command -v chromium >/dev/null || { \
	  if [ "$$(id -u)" = 0 ] && command -v apt-get >/dev/null; then \
	    apt-get update -qq && DEBIAN_FRONTEND=noninteractive apt-get install -y -qq chromium >/dev/null; \
	  else echo "chromium is missing. Install it: sudo apt-get install chromium"; exit 1; fi; }
	@test node_modules/.package-lock.json -nt package-lock.json || npm ci --no-audit --no-fund

packages: ## Installs the web packages only.
	@test node_modules/.package-lock.json -nt package-lock.json || npm ci --no-audit --no-fund

pages: packages
	npm run --silent build

demo: pages ## Builds and starts with invented data; prints the address.
	cargo run --release --quiet -- demo

dev: pages ## Invented data on port 4870 and the pages with hot reload on port 5173; both end with Ctrl+C.
	cargo build
	@trap 'kill 0' INT TERM EXIT; target/debug/wattotherm demo & npm run --silent dev -w web

# Soaks, boards of bad manners, a million programs and the browser are left to `make test`.
QUICK := api conversion durability pages twin
quick: pages ## What a change to rules, stations, storage or routes can break; under two minutes once built.
	npm run --silent test -w web
	cargo test --workspace --exclude wattotherm-server --exclude wattotherm-link --exclude wattotherm-twin
	cargo test -p wattotherm-server --lib --test live
	cargo test -p wattotherm-server --test all -- $(addsuffix ::,$(QUICK))

test: need pages ## Builds and runs everything, the browser tests included.
	npm run --silent test -w web
	cargo test --workspace --no-fail-fast

lint: packages
	cargo fmt --all --check
	cargo clippy --workspace --all-targets -- -D warnings
	npm run --silent lint

fmt:
	cargo fmt --all
	npx prettier --write --log-level warn .

api: ## Writes the API's description, the job file's schema and the page's types anew.
	cargo run --quiet -- openapi > docs/openapi.json
	cargo run --quiet -- schema > docs/job.schema.json
	npm run --silent types

bench: pages
	cargo bench -p wattotherm-diagnosis --bench diagnosis
	cargo bench -p wattotherm-toolpath --bench path --bench pieces --bench fuzz
	cargo bench -p wattotherm-looks --bench looks
	cargo bench -p wattotherm-sight --bench sight
	cargo bench -p wattotherm-twin --bench printing
	cargo bench -p wattotherm-heat --bench heat --bench coverage --bench confusion
	cargo bench -p wattotherm-server --bench serving --bench heat --bench stop --bench large

screenshots: need pages ## Retakes docs/screenshots/ from the demo data.
	cargo build
	cd e2e && WATTOTHERM_BIN=$(CURDIR)/target/debug/wattotherm npx playwright test --config screenshots.config.ts
