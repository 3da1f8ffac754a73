# Verify Loop. `make` explains itself.
SHELL := /bin/bash
PY := .venv/bin/python
HOST ?= 127.0.0.1
PORT ?= 8000
BROWSER := $(shell command -v chromium-headless-shell 2>/dev/null)

.DEFAULT_GOAL := help
.PHONY: help serve demo test test-postgres dev bench fuzz corpus mutants sbom audit build setup api check-env clean

help: ## what can be done here
	@echo "Verify Loop"; echo
	@grep -hE '^[a-z-]+:.*##' $(MAKEFILE_LIST) | sed -E 's/^([a-z-]+):.*## (.*)/  make \1\t\2/' | expand -t 18

demo: setup build ## set everything up and serve the demonstration plant on localhost
	@$(PY) manage.py migrate -v0
	@$(PY) manage.py load_demo
	@$(PY) manage.py collectstatic --noinput -v0
	@$(PY) -m tools.serve --host $(HOST) --port $(PORT)

serve: setup build ## serve a real plant on localhost: empty at first, set up by the first visit
	@$(PY) -m tools.plant --host $(HOST) --port $(PORT)

test: setup build var/.dev-installed var/.browser-installed var/.proxy-installed ## set everything up and run all checks and tests
	@$(PY) -m tools.check

test-postgres: setup build var/.dev-installed var/.browser-installed var/.postgres-installed ## run the whole suite on a PostgreSQL server of its own
	@$(PY) -m tools.postgres

dev: setup build var/.dev-installed ## run with hot reload: server on :8000, page on http://localhost:5173
	@$(PY) manage.py migrate -v0 && $(PY) manage.py load_demo
	@$(PY) -m tools.dev

bench: setup build var/.dev-installed var/.browser-installed ## measure the figures that were promised and print them as a table
	@$(PY) -m tools.bench

build: frontend/dist/index.html ## build the front end

setup: check-env .venv/.installed frontend/node_modules/.installed ## install what is needed to run

corpus: setup var/.dev-installed ## play the golden corpus of runs anew, older revisions by the core of their own commit
	@$(PY) -m tools.corpus

mutants: setup var/.dev-installed ## put every tenth of some 14,000 small faults into the rules and count how many the tests notice (about an hour; EVERY=1: all)
	@$(PY) -m tools.mutants --every $(or $(EVERY),10)

api: .venv/.installed frontend/node_modules/.installed ## write the API's description and the TypeScript client anew
	@$(PY) manage.py spectacular --file docs/openapi.yaml --fail-on-warn
	@cd frontend && npm run -s generate

fuzz: setup build var/.dev-installed ## ask the API at random, by its description and past it, as every role (about ten minutes)
	@$(PY) -m tools.fuzz

sbom: setup var/.dev-installed ## bills of materials (CycloneDX) and licences of all that is shipped, into var/sbom
	@$(PY) -m tools.supply sbom

audit: setup var/.dev-installed ## ask what is known against the packages used; says so where nobody can be asked
	@$(PY) -m tools.supply audit

check-env:
	@command -v python3 >/dev/null || { echo "Python 3.11 or newer is needed: apt-get install python3 python3-venv"; exit 1; }
	@command -v npm >/dev/null || { echo "Node 20 or newer with npm is needed."; exit 1; }
	@mkdir -p var

.venv/.installed: requirements.txt
	@echo "Setting up Python packages (once)…"
	@python3 -m venv .venv 2>/dev/null || { apt-get update -q && apt-get install -y -q python3-venv && python3 -m venv .venv; }
	@$(PY) -m pip install -q --disable-pip-version-check -r requirements.txt
	@touch $@

var/.dev-installed: requirements-dev.txt .venv/.installed
	@echo "Setting up tools for tests (once)…"
	@$(PY) -m pip install -q --disable-pip-version-check -r requirements-dev.txt
	@mkdir -p var && touch $@

var/.browser-installed:
ifeq ($(BROWSER),)
	@echo "Installing Chromium without windows for the browser tests (once)…"
	@SUDO=$$([ "$$(id -u)" = 0 ] || echo sudo); ($$SUDO apt-get update -q && $$SUDO apt-get install -y -q --no-install-recommends chromium-headless-shell) >/dev/null 2>&1 \
		|| command -v chromium >/dev/null || $$SUDO apt-get install -y -q --no-install-recommends chromium >/dev/null
endif
	@mkdir -p var && touch $@

var/.proxy-installed:
ifeq ($(wildcard /usr/sbin/nginx),)
	@echo "Installing nginx for its test (once)…"
	@SUDO=$$([ "$$(id -u)" = 0 ] || echo sudo); ($$SUDO apt-get update -q && $$SUDO apt-get install -y -q --no-install-recommends nginx-light) >/dev/null 2>&1 || echo "nginx could not be installed: its test is passed over."
endif
	@mkdir -p var && touch $@

var/.postgres-installed:
ifeq ($(wildcard /usr/lib/postgresql/*/bin/initdb),)
	@echo "Installing PostgreSQL for its tests (once)…"
	@SUDO=$$([ "$$(id -u)" = 0 ] || echo sudo); $$SUDO apt-get update -q >/dev/null && $$SUDO apt-get install -y -q --no-install-recommends postgresql >/dev/null
endif
	@mkdir -p var && touch $@

frontend/node_modules/.installed: frontend/package-lock.json frontend/package.json
	@echo "Setting up front-end packages (once)…"
	@cd frontend && npm ci --silent --no-audit --no-fund
	@touch $@

frontend/dist/index.html: frontend/node_modules/.installed $(shell find frontend/src frontend/public -type f 2>/dev/null) frontend/index.html frontend/vite.config.ts
	@echo "Building the front end…"
	@cd frontend && npm run -s build -- --logLevel warn

clean: ## remove everything that was set up and the demonstration's data
	@rm -rf .venv var frontend/node_modules frontend/dist
