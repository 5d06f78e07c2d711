# Everything a person types. Each installed thing leaves a stamp below .make/, made again when what it depends on changes.
PYTHON ?= python3
BIN := .venv/bin
MANAGE := $(BIN)/python manage.py
PORT ?= 8000

.PHONY: run dev test bench load web wheel lint schema chromium redis strace worker clean

run: .make/run .make/web
	@exec $(MANAGE) serve --port $(PORT)

# The server with errors in full, and Vite's server in front of it at port 5173.
dev: .make/run .make/npm
	@SALTWORT_DEBUG=1 $(MANAGE) serve --port $(PORT) & trap 'kill %1' EXIT INT TERM; cd web && npx vite

test: .make/dev .make/web chromium redis strace
	@$(MAKE) --no-print-directory lint
	@$(MANAGE) test tests --noinput --parallel 2

lint: .make/dev .make/npm
	@$(BIN)/ruff check .
	@$(BIN)/ruff format --check --quiet .
	@$(BIN)/mypy
	@$(MANAGE) makemigrations --check --dry-run --verbosity 0
	@cd web && npm run --silent types && npm run --silent lint
	@sh tools/check_schema.sh

bench: .make/dev .make/web
	@DJANGO_SETTINGS_MODULE=saltwort.server.settings $(BIN)/python -m tests.bench

# A show of 100,000 textures, and how long everything takes with it.
load: .make/dev .make/web
	@DJANGO_SETTINGS_MODULE=saltwort.server.settings $(BIN)/python -m tests.load

# The API's schema and the TypeScript types made from it.
schema: .make/dev .make/npm
	@$(MANAGE) spectacular --file web/src/api/schema.yaml --validate --fail-on-warn
	@cd web && npm run --silent schema

web: .make/web

# A wheel with the built screens, in dist/.
wheel: .make/dev .make/web
	@$(BIN)/pip wheel --quiet --no-deps --no-build-isolation --wheel-dir dist .

# Works on files for a Saltwort on this machine or another, through the Redis server that SALTWORT_REDIS names.
worker: .make/workers
	@exec $(MANAGE) file_worker

# Says which files a process opens.
strace:
	@command -v strace > /dev/null || (apt-get update -qq && apt-get install -y -qq strace)

redis:
	@command -v redis-server > /dev/null || (apt-get update -qq && apt-get install -y -qq redis-server)

# Chromium without its windows: a page takes it two thirds of the time.
chromium:
	@command -v chromium-headless-shell > /dev/null || (apt-get update -qq && apt-get install -y -qq chromium-headless-shell)

clean:
	rm -rf .make .venv web/node_modules web/dist

.make/venv:
	@mkdir -p .make
	$(PYTHON) -m venv .venv
	@touch $@

.make/run: requirements.txt | .make/venv
	$(BIN)/pip install --quiet --disable-pip-version-check -r requirements.txt
	@touch $@

.make/workers: requirements-workers.txt .make/run
	$(BIN)/pip install --quiet --disable-pip-version-check -r requirements-workers.txt
	@touch $@

.make/dev: requirements-dev.txt requirements-workers.txt .make/run
	$(BIN)/pip install --quiet --disable-pip-version-check -r requirements-dev.txt
	@touch $@

.make/npm: web/package-lock.json
	@mkdir -p .make
	cd web && npm ci --no-audit --no-fund --loglevel=error
	@touch $@

.make/web: .make/run .make/npm web/index.html web/vite.config.ts $(shell find web/src docs/guide docs/screenshots -type f) $(wildcard docs/*.md)
	cd web && npm run --silent build
	@$(BIN)/python -m whitenoise.compress --quiet web/dist
	@touch $@
