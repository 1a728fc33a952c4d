# Fern Tide. `make demo` and `make test` work on a fresh Debian machine with Python 3.11.
PYTHON ?= python3.11
VENV := .venv
BIN := $(VENV)/bin
PORT ?= 5077
# What was compiled is kept for the next process, also where the machine says otherwise.
export PYTHONDONTWRITEBYTECODE =

.PHONY: demo install install-dev system-dev test late check watch bench mutants siege shots graph css js schema clean

demo: $(VENV)/run.stamp
	$(BIN)/fern-tide demo --port $(PORT)

install: $(VENV)/run.stamp

$(VENV)/run.stamp: requirements.lock pyproject.toml
	scripts/install_system.sh python $(PYTHON)
	$(PYTHON) -m venv $(VENV)
	$(BIN)/pip install -q --require-hashes -r requirements.lock
	$(BIN)/pip install -q --no-deps -e .
	touch $@

install-dev: system-dev $(VENV)/dev.stamp node_modules/.stamp

system-dev:
	scripts/install_system.sh tests

$(VENV)/dev.stamp: requirements-dev.lock $(VENV)/run.stamp
	$(BIN)/pip install -q --require-hashes -r requirements-dev.lock
	touch $@

node_modules/.stamp: package-lock.json
	npm ci --no-audit --no-fund --loglevel=error
	touch $@

# Three at once, so that two processors are never idle. What goes by the clock comes after, two at once: it waits half of its time.
test: install-dev
	$(BIN)/pytest -n 3 --dist loadfile -m "not alone"
	$(BIN)/pytest -n 2 --dist load -m alone tests/journeys

# The journeys on a page whose answers come late and out of turn. Some of them look after a fixed time, and may fail for that.
late: install-dev
	LATE_ANSWERS=1 $(BIN)/pytest -n 2 --dist loadfile -m "not alone" tests/journeys

# What a change is held to before it is committed: format, lint, types and the tests that need no browser.
check: install-dev
	$(BIN)/ruff format --check .
	$(BIN)/ruff check .
	$(BIN)/mypy
	$(BIN)/pytest -n 2 --dist loadfile tests/core/base tests/core/derivation tests/core/envelope tests/core/mapping tests/core/bake \
		tests/contract tests/golden tests/store

# The tests of a stage again whenever one of its files is saved: make watch STAGE=mapping
watch: install-dev
	$(BIN)/python scripts/watch.py $(or $(STAGE),core)

css: node_modules/.stamp
	npx @tailwindcss/cli -i src/fern_tide/web/styles/app.css -o src/fern_tide/web/static/css/app.css --minify

# The page's scripts, joined: browsers are given these.
js: node_modules/.stamp
	npx rollup -c --silent

$(VENV)/bench.stamp: requirements-bench.lock $(VENV)/dev.stamp
	$(BIN)/pip install -q --require-hashes -r requirements-bench.lock
	touch $@

bench: install-dev $(VENV)/bench.stamp
	$(BIN)/python benchmarks/run.py
	$(BIN)/python benchmarks/scenes.py
	$(BIN)/python benchmarks/derivation.py
	$(BIN)/python benchmarks/hand_off.py
	$(BIN)/python benchmarks/drag.py
	$(BIN)/python benchmarks/arrays.py
	$(BIN)/python benchmarks/live.py

mutants: install-dev
	$(BIN)/python scripts/mutants.py --base $(or $(BASE),HEAD~20)

# Kills, stops, a full disk, hostile files and a crowd, for so many minutes: make siege MINUTES=60
siege: install-dev
	$(BIN)/python -u scripts/siege.py --minutes $(or $(MINUTES),60) $(if $(WRITE),--write $(WRITE))

shots: install-dev
	$(BIN)/python scripts/shots.py

graph: install-dev
	$(BIN)/python scripts/graph.py
	$(BIN)/python scripts/whole.py

schema: $(VENV)/run.stamp
	$(BIN)/fern-tide schema > docs/document.schema.json
	$(BIN)/fern-tide schema --curves > docs/curves.schema.json

clean:
	rm -rf $(VENV) node_modules build
