# Roof Line: make demo · make test · make setup · make bench · make shots · make lint
PORT ?= 5800
PY := .venv/bin/python
BIN := .venv/bin

.PHONY: setup demo test bench shots lint types clean

setup: .stamp-python .stamp-web .stamp-engine

.stamp-python: pyproject.toml constraints.txt
	test -x $(PY) || python3 -m venv .venv
	$(PY) -m pip install -q --disable-pip-version-check -c constraints.txt -e '.[dev]'
	touch $@

web/node_modules/.package-lock.json: web/package.json web/package-lock.json
	cd web && npm ci --no-audit --no-fund --loglevel=error

.stamp-web: web/node_modules/.package-lock.json $(shell find web/src web/public web/index.html web/vite.config.ts -type f)
	cd web && npm run --silent build
	touch $@

# Numba compares what it has compiled with a loop's own file only, not with what that took in from others: when a file of
# the engine changes, all of it is thrown away. It is compiled again beside the server, or by the first test
.stamp-engine: .stamp-python $(wildcard src/roofline/core/throw/*.py src/roofline/core/survey/*.py)
	find src -name '*.nb[ci]' -delete
	touch $@

demo: setup
	exec $(BIN)/roofline demo --port $(PORT)

lint: .stamp-python web/node_modules/.package-lock.json
	$(BIN)/ruff check src tests tools
	$(BIN)/ruff format --check src tests tools
	$(BIN)/mypy
	$(BIN)/lint-imports
	$(PY) -m tools.schema --check
	cd web && npx --no-install openapi-typescript ../docs/schema/openapi.json -o /tmp/roofline-types.gen.ts >/dev/null 2>&1 && cmp src/api/types.gen.ts /tmp/roofline-types.gen.ts
	cd web && npm run --silent check && npm run --silent lint

types: .stamp-python
	$(PY) -m tools.schema
	cd web && npm run --silent types

test: setup lint
	test -x /usr/bin/chromium || (apt-get update -qq && apt-get install -y -qq chromium)
	$(BIN)/pytest

bench: setup
	$(PY) -m tools.bench

shots: setup
	test -x /usr/bin/chromium || (apt-get update -qq && apt-get install -y -qq chromium)
	$(PY) -m tools.shots

clean:
	rm -rf .stamp-* web/dist web/node_modules .venv
