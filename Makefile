PYTHON ?= python3
# Where it is set, all that is imported is compiled anew by each process, which takes longer than all else it does at its start.
unexport PYTHONDONTWRITEBYTECODE
BIN := .venv/bin
# A lock file names every package, so nothing is resolved; what is never imported is never compiled.
INSTALL = $(BIN)/pip install --quiet --disable-pip-version-check --no-deps --no-compile
WEB_SOURCES := $(shell find web/src web/public web/index.html web/vite.config.ts web/scripts/models.mjs -type f 2>/dev/null)

KERNELS := $(shell find src/wiseglove/core src/wiseglove/shot -name '*.py')

.PHONY: help setup demo test check system demo-system matting footage bench torture fuzz screenshots schema lock dev clean

help:            ## what there is
	@grep -hE '^[a-z]+: .*##|^[a-z]+:  +##' $(MAKEFILE_LIST) | sed 's/:[^#]*##/  /'

setup: .venv/.warm .venv/.tools web/node_modules/.ready  ## Python into .venv, the page's packages into web/node_modules

demo:            ## serve the application with demo data, until Ctrl+C
	@$(MAKE) --no-print-directory -j3 footage web/dist/index.html .venv/.warm
	@$(BIN)/wiseglove demo

test:            ## run all tests
	@$(MAKE) --no-print-directory -j3 footage .venv/.warm system check matting
	cd web && npm test --silent
	$(BIN)/pytest -n 3 --dist loadfile --no-loadscope-reorder

demo-system:     # what the application itself uses of the operating system
	@scripts/system.sh postgresql chromium libgomp1

system: demo-system  # what tests use beside that
	@scripts/system.sh ffmpeg libegl1 libgl1 libcairo2

check: .venv/.tools web/dist/index.html  ## form, types and layers (building the page checks its types)
	$(BIN)/ruff check src tests benchmarks scripts
	$(BIN)/ruff format --check -q src tests benchmarks scripts
	$(BIN)/mypy
	$(BIN)/lint-imports
	$(BIN)/wiseglove schema .run/openapi.json && cmp .run/openapi.json docs/openapi.json
	$(BIN)/wiseglove shot-schema .run/shot-file.json && cmp .run/shot-file.json docs/shot-file.schema.json
	cd web && npm run --silent types -- ../.run >/dev/null
	cmp .run/schema.d.ts web/src/api/schema.d.ts && cmp .run/bounds.ts web/src/api/bounds.ts
	cd web && npm run --silent lint

matting: .venv/.ready system  # the same for a package that compiles itself
	@$(BIN)/python -c "import wiseglove.core.keying.closed_form"

footage: .run/footage/panel_tap.mp4  # the demo's movie and its truth, rendered once

.run/footage/panel_tap.mp4: | .venv/.ready demo-system
	@$(BIN)/wiseglove footage

bench: setup web/dist/index.html  ## figures, goals and peers in one table
	@scripts/system.sh postgresql chromium libgomp1 libegl1 libgl1 libcairo2
	@$(BIN)/python -m benchmarks

torture: setup  ## kill and freeze the processes for ten minutes, and count what is lost
	@scripts/system.sh postgresql libgomp1
	@$(BIN)/python -m tests.torture

fuzz: setup  ## ten thousand requests from the API's own description
	@scripts/system.sh postgresql libgomp1
	WISEGLOVE_FUZZ=10000 $(BIN)/pytest -q tests/api/test_fuzz.py

screenshots: setup web/dist/index.html  ## pictures of the main views into docs/screenshots
	@$(BIN)/python scripts/screenshots.py

schema: setup  ## the API's description, and the page's types made from it
	$(BIN)/wiseglove schema docs/openapi.json
	$(BIN)/wiseglove shot-schema docs/shot-file.schema.json
	cd web && npm run --silent types -- src/api

LOCK = $(BIN)/pip-compile --upgrade --quiet --allow-unsafe --strip-extras --no-header --no-emit-index-url --no-emit-find-links --no-emit-trusted-host

lock: .venv/.tools  ## lock files anew
	$(LOCK) --extra build -o requirements.lock pyproject.toml
	$(LOCK) --extra build --extra dev -c requirements.lock -o requirements-dev.lock pyproject.toml

clean:  ## remove all that was made here: environment, build, database, footage
	rm -rf .venv web/node_modules web/dist .run

.venv/.ready: requirements.lock pyproject.toml
	@echo "Setting up Python in .venv ..."
	@$(PYTHON) -m venv .venv
	@$(INSTALL) "$$(grep '^pip==' requirements.lock)"  # the one that comes with Python 3.11 takes three times as long
	@$(INSTALL) -r requirements.lock
	@$(INSTALL) --no-build-isolation -e .
	@$(BIN)/pip check >/dev/null || $(BIN)/pip check
	@touch $@

.venv/.warm: .venv/.ready $(KERNELS) | demo-system  # the numeric loops compiled, so that nobody's first press waits for it, nor all tests at once
	@$(BIN)/python -m wiseglove.shot.warm
	@touch $@

.venv/.tools: .venv/.ready requirements-dev.lock
	@echo "Adding what tests and checks need ..."
	@$(INSTALL) -r requirements-dev.lock
	@touch $@

web/node_modules/.ready: web/package.json web/package-lock.json
	@echo "Setting up the page's packages ..."
	@cd web && npm ci --silent
	@touch $@

web/dist/index.html: web/node_modules/.ready $(WEB_SOURCES)
	@echo "Building the page ..."
	@cd web && npx tsc --noEmit && npx vite build --logLevel warn && node scripts/models.mjs
	@touch $@
