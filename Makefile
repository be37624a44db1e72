# Roof Line: make demo · test · test-fast · setup · lint · fmt · types · bench · trials · shots
PORT ?= 5800
PY := .venv/bin/python
BIN := .venv/bin

.PHONY: setup demo test test-fast bench trials shots lint fmt types clean

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
.stamp-engine: .stamp-python $(wildcard src/roofline/core/throw/*.py src/roofline/core/survey/*.py src/roofline/core/plates/*.py)
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
	cd web && npm run --silent check && npm run --silent lint && npm run --silent fmt:check

fmt: .stamp-python web/node_modules/.package-lock.json
	$(BIN)/ruff check -q --fix src tests tools
	$(BIN)/ruff format -q src tests tools
	cd web && npm run --silent fmt

types: .stamp-python
	$(PY) -m tools.schema
	cd web && npm run --silent types

CHROMIUM := test -x /usr/bin/chromium || (apt-get update -qq && apt-get install -y -qq chromium)

# what is compiled before the tests is not compiled in each of their processes
test: setup lint
	$(CHROMIUM)
	cd web && npm run --silent test
	$(PY) -m roofline.work.warm src/roofline/demo/shot >/dev/null
	$(BIN)/pytest -n 2 --ignore=tests/e2e
	$(BIN)/pytest -n 2 --dist loadfile tests/e2e

test-fast: setup
	cd web && npm run --silent test
	$(BIN)/pytest -n 2 -m "not slow" --ignore=tests/e2e

trials: setup
	$(PY) -m tools.trials

bench: setup
	$(PY) -m tools.bench
	$(PY) -m tools.bench_large

shots: setup
	$(CHROMIUM)
	$(PY) -m roofline.work.warm src/roofline/demo/shot >/dev/null
	$(PY) -m tools.shots

clean:
	rm -rf .stamp-* web/dist web/node_modules .venv
