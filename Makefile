# make demo    install what is missing, build, start PostgreSQL, load the demo cell, serve it
# make test    install what is missing, then lint and run all tests
# make dev     serve with reload on change
# make lint    formatting, clippy, ESLint and types
# make bench   benchmarks, beside the reference libraries where they are installed
# make docs    write the generated documents: OpenAPI, JSON Schema, API types
# make audit   licences and known weaknesses of packages, as far as the tools for it are there
# make robots  an open set of robots beside the reference library for kinematics
# make fuzz    made-up requests to every operation of a server of its own, ten minutes at most

SHELL := /bin/bash
STATE := .selvik
PORT ?= 7780
export PATH := $(HOME)/.cargo/bin:$(PATH)

.PHONY: demo test dev lint lint-layout lint-web bench docs audit fuzz setup web stop reference robots

demo: setup web
	cargo build --release -q -p selvik-server -p selvik-demo
	@mkdir -p $(STATE)
	@[ -f $(STATE)/demo-cell/cell.json ] && [ $(STATE)/demo-cell/cell.json -nt target/release/selvik-demo ] \
	  || { echo "Building the demo cell…"; rm -rf $(STATE)/demo-cell; target/release/selvik-demo $(STATE)/demo-cell; }
	@url=$$(tools/database.sh start $(STATE)/database) && \
	  target/release/selvik migrate --database $$url && \
	  target/release/selvik import $(STATE)/demo-cell --unless-present --database $$url >/dev/null && \
	  exec target/release/selvik serve --listen 127.0.0.1:$(PORT) --database $$url

dev: setup web
	cargo build -q -p selvik-server
	@url=$$(tools/database.sh start $(STATE)/database) && trap 'kill 0' EXIT && \
	  { target/debug/selvik serve --listen 127.0.0.1:$(PORT) --database $$url & \
	    cd web && SELVIK_SERVER=http://127.0.0.1:$(PORT) npx vite; }

# Clippy looks on while the tests are built, so that nothing is compiled twice. What is built for one run is not built
# piece by piece for the next.
test: export CARGO_INCREMENTAL := 0
test: export RUSTC_WORKSPACE_WRAPPER := clippy-driver
test: export CLIPPY_ARGS := -Dwarnings
test: setup lint-layout lint-web
	cd web && npx vitest run
	cargo test --workspace --all-targets --no-run -q
	cargo test --workspace
	@echo "All tests passed."

lint: setup lint-layout lint-web
	cargo clippy --workspace --all-targets -q -- -D warnings

lint-layout:
	cargo fmt --check
	tools/check_deploy.sh

lint-web: web
	cd web && npx vue-tsc --noEmit && npx eslint --max-warnings 0 src bench && npx stylelint "src/**/*.{vue,css}" && npx prettier --log-level warn --check src bench

web: web/dist/index.html

# The types of the API are written anew from its description.
web/src/api/schema.d.ts: web/node_modules/.made docs/openapi.json
	cd web && npm run -s api

web/dist/index.html: web/src/api/schema.d.ts $(shell find web/src web/public -type f) web/index.html web/vite.config.ts
	cd web && npx vite build --logLevel warn
	@touch $@

web/node_modules/.made: web/package-lock.json
	cd web && npm ci --no-audit --no-fund --loglevel=error
	@touch $@

bench: setup
	cargo bench -p selvik-core --bench core
	@[ ! -x tools/reference/.venv/bin/python ] || tools/reference/.venv/bin/python tools/bench/against_coal.py
	@[ ! -x tools/reference/.venv/bin/python ] || tools/reference/.venv/bin/python tools/bench/sampled_by_coal.py
	@[ ! -x tools/reference/.venv/bin/python ] || tools/reference/.venv/bin/python tools/bench/against_trimesh.py

reference:
	python3 -m venv tools/reference/.venv
	tools/reference/.venv/bin/pip install -q -r tools/reference/requirements.txt
	tools/reference/.venv/bin/python tools/reference/golden.py
	tools/reference/.venv/bin/python tools/reference/formats.py
	tools/reference/.venv/bin/python tools/reference/inside.py
	tools/reference/.venv/bin/python tools/reference/signed.py
	tools/reference/.venv/bin/python tools/reference/sampled.py
	tools/reference/.venv/bin/python tools/reference/features.py
	cd tools/reference/ik-geo && cargo run -q --release > ../../../crates/selvik-core/tests/golden/ik_geo.json

robots:
	python3 -m venv tools/reference/.venv
	tools/reference/.venv/bin/pip install -q -r tools/reference/requirements.txt
	cargo build --release -q -p selvik-server
	tools/reference/.venv/bin/python tools/reference/robots.py
	tools/reference/.venv/bin/python tools/bench/three_arms.py

docs: web
	cargo build -q -p selvik-server
	target/debug/selvik openapi > docs/openapi.json
	target/debug/selvik schema > docs/cell-package.schema.json
	$(MAKE) web

audit: web
	@if cargo deny --version >/dev/null 2>&1; then cargo fetch -q --locked && cargo deny --offline check licenses bans sources; \
	  else echo "cargo-deny is not installed: licences not checked (cargo install cargo-deny)"; fi
	@cd web && npm audit --omit=dev --audit-level=high || echo "npm audit found something, or could not ask"

fuzz: setup web
	cargo build -q -p selvik-server -p selvik-demo
	tools/fuzz/run.sh

setup:
	@tools/setup.sh

stop:
	tools/database.sh stop $(STATE)/database
