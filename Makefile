# Two commands are all that is needed: `make demo` starts Plodek with the demo data, `make test` runs
# every check. Both set up what is missing first, also on a fresh machine, and are quick the second time.

PYTHON ?= python3.11
BIN := .venv/bin
SOURCES := $(shell git ls-files 'plodek/*.py')
PAGES := $(shell git ls-files web) web/src/api/schema.gen.ts
ROOT_APT = if [ "$$(id -u)" = 0 ]; then \
	apt-get update -qq && DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends $(1); \
	else echo "please install: $(1)"; exit 1; fi

.PHONY: demo test quick setup ledger bench soak audit lint lint-python lint-pages types reference screenshots clean

demo: build/python build/pages build/kernels
	$(BIN)/plodek demo

# Tests wait for servers and browsers half of the time: more processes than cores use both wholly.
TOGETHER := -n 3 --dist worksteal
test: setup
	@$(MAKE) --no-print-directory -j2 -O lint
	$(BIN)/python -m pytest $(TOGETHER) --ignore tests/browser
	$(BIN)/python -m pytest $(TOGETHER) tests/browser
	@git diff --exit-code --stat || { echo "set-up or tests have changed the tree"; exit 1; }

# What is quick to know: lint, types, the core's and the server's tests without the slow ones.
quick: build/test-python build/node build/kernels lint
	$(BIN)/python -m pytest $(TOGETHER) --ignore tests/browser -m "not slow"

setup: build/test-python build/pages build/kernels build/checkers

lint: lint-python lint-pages

lint-python: build/test-python
	$(BIN)/ruff check plodek tests bench
	$(BIN)/ruff format --check -q plodek tests bench
	$(BIN)/mypy

lint-pages: build/python build/node
	$(BIN)/python -m plodek.server.openapi build/openapi.json
	cd web && npx --no-install openapi-typescript ../build/openapi.json -o ../build/schema.gen.ts >/dev/null
	diff -q build/schema.gen.ts web/src/api/schema.gen.ts || { echo "the API has changed: run make types"; exit 1; }
	cd web && npm run -s check

# Run after a change of the API's messages.
types: build/python build/node
	$(BIN)/python -m plodek.server.openapi build/openapi.json
	cd web && npm run -s types

# Run after a change of a step's fields.
reference: build/python
	$(BIN)/python -m plodek.core.recipe.reference docs/recipe-reference.md

# What grids are worth, against what is kept: `make ledger KEEP=--keep` keeps what there is now.
ledger: build/test-python build/kernels
	$(BIN)/python -m tests.core.ledger.worth $(KEEP)

bench: setup
	PYTHONPATH=. $(BIN)/python bench/bench.py

# Half an hour of edits, kills and attacks, with the figures that came of it.
soak: setup
	$(BIN)/python -m tests.soak

# What is known of faults in what Plodek uses, where that can be asked: it needs the lists of both registries.
audit: build/python build/node
	$(PYTHON) -m venv build/audit
	build/audit/bin/pip install -q --disable-pip-version-check pip-audit==2.10.1
	build/audit/bin/pip-audit --disable-pip --no-deps -r requirements.lock -r requirements-test.lock
	cd web && npm audit

# Takes the pictures of docs/screenshots anew, from the demo data.
screenshots: setup
	$(BIN)/python tests/browser/take_screenshots.py

build/python: pyproject.toml requirements.lock
	@command -v $(PYTHON) >/dev/null || { $(call ROOT_APT,python3.11 python3.11-venv); }
	$(PYTHON) -m venv .venv
	$(BIN)/pip install -q --disable-pip-version-check --require-hashes --no-deps -r requirements.lock
	$(BIN)/pip install -q --disable-pip-version-check --no-deps -e .
	@mkdir -p build && touch $@

# What only tests and checks need.
build/test-python: build/python requirements-test.lock
	$(BIN)/pip install -q --disable-pip-version-check --require-hashes --no-deps -r requirements-test.lock
	@touch $@

build/node: web/package.json web/package-lock.json
	@command -v npm >/dev/null || { $(call ROOT_APT,nodejs npm); }
	cd web && npm ci --silent
	@mkdir -p build && touch $@

build/pages: build/node $(PAGES)
	cd web && npm run -s build
	@touch $@

build/kernels: build/python $(SOURCES)
	$(BIN)/python -m plodek.compile_kernels
	@touch $@

build/checkers:
	@command -v cgnscheck >/dev/null && command -v gfortran >/dev/null && [ -x /usr/bin/chromium ] && \
	[ -x /usr/sbin/nginx ] || { $(call ROOT_APT,chromium cgns-convert gfortran nginx-light); }
	@mkdir -p build && touch $@

clean:
	rm -rf build .venv web/node_modules plodek/server/static
