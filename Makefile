# Fern Tide. `make demo` and `make test` work on a fresh Debian machine with Python 3.11.
PYTHON ?= python3.11
VENV := .venv
BIN := $(VENV)/bin
PORT ?= 5077

.PHONY: demo install install-dev test bench shots css schema clean

demo: $(VENV)/run.stamp
	$(BIN)/fern-tide demo --port $(PORT)

install: $(VENV)/run.stamp

$(VENV)/run.stamp: requirements.lock pyproject.toml
	command -v $(PYTHON) >/dev/null || { echo "Python 3.11 is needed: apt-get install python3.11 python3.11-venv"; exit 1; }
	$(PYTHON) -m venv $(VENV)
	$(BIN)/pip install -q --require-hashes -r requirements.lock
	$(BIN)/pip install -q --no-deps -e .
	touch $@

install-dev: $(VENV)/dev.stamp node_modules/.stamp
	scripts/install_chromium.sh

$(VENV)/dev.stamp: requirements-dev.lock $(VENV)/run.stamp
	$(BIN)/pip install -q --require-hashes -r requirements-dev.lock
	touch $@

node_modules/.stamp: package-lock.json
	npm ci --no-audit --no-fund --loglevel=error
	touch $@

test: install-dev
	$(BIN)/pytest -n 2 --dist loadfile

css: node_modules/.stamp
	npx @tailwindcss/cli -i src/fern_tide/web/styles/app.css -o src/fern_tide/web/static/css/app.css --minify

bench: install-dev
	$(BIN)/python benchmarks/run.py
	$(BIN)/python benchmarks/drag.py

shots: install-dev
	$(BIN)/python scripts/shots.py

schema: $(VENV)/run.stamp
	$(BIN)/fern-tide schema > docs/document.schema.json

clean:
	rm -rf $(VENV) node_modules build
