# The few words for all chores. `make demo` and `make test` work on a fresh machine.
PYTHON ?= python3
BIN := .venv/bin
# Every start of the hub would compile all of it anew where this is set, and the tests start it some two hundred times.
export PYTHONDONTWRITEBYTECODE :=
CONSOLE := hombi/service/console_files/index.html
CONSOLE_SOURCES := $(shell find console/src console/public console/index.html console/vite.config.ts -type f)

.PHONY: wheel demo test check check-python check-console test-console setup bench soak types schema tools format clean

demo: setup  ## run Heron Mill, a whole house to try things in
	@$(BIN)/hombi demo

setup: .venv/done $(CONSOLE)  ## the command at .venv/bin/hombi, and the console

.venv/done: pyproject.toml requirements.txt
	@$(PYTHON) -c 'import sys; sys.exit(sys.version_info < (3, 11) and "Hombi needs Python 3.11 or newer; say make PYTHON=python3.11")'
	@echo "Installing the Python packages into .venv …"
	@test -x $(BIN)/pip || $(PYTHON) -m venv .venv
	@$(BIN)/pip install --quiet --disable-pip-version-check --no-compile --constraint requirements.txt --editable '.[hub,lab,dev]'
	@touch $@

console/node_modules/done: console/package.json console/package-lock.json
	@command -v npm >/dev/null || { echo "The console is built with Node.js 20 or newer, which brings npm: install it first."; exit 1; }
	@echo "Installing the console's packages …"
	@cd console && npm ci --no-audit --no-fund --loglevel=error
	@touch $@

$(CONSOLE): console/node_modules/done $(CONSOLE_SOURCES)
	@echo "Building the console …"
	@cd console && npx vite build --logLevel warn

tools:  ## Debian's chromium and mosquitto, for the tests
	@./scripts/tools

check: check-python check-console  ## what can be seen without running it

check-python: setup
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .
	HOMBI_DATA=$$(mktemp -d) $(BIN)/mypy
	$(BIN)/lint-imports --no-cache

check-console: setup schema
	cd console && npx biome check --error-on-warnings . && npx tsc -b
	cd console && npx openapi-typescript schema.json --default-non-nullable=false --empty-objects-unknown --output node_modules/fresh.d.ts >/dev/null && diff -q node_modules/fresh.d.ts src/api/schema.d.ts \
		|| { echo "the console's types are not those of the API; run make types"; exit 1; }

schema: setup
	HOMBI_DATA=$$(mktemp -d) DJANGO_SETTINGS_MODULE=hombi.service.settings \
		$(BIN)/python -m django spectacular --format openapi-json --file console/schema.json --validate --fail-on-warn

reference: setup  ## the tables in the documents that the code describes
	$(BIN)/python -W ignore -m hombi.core.automation.reference docs/automations.md
	$(BIN)/python -m hombi.service.rights_doc docs/rights.md
	$(BIN)/python -W ignore -m hombi.client.reference docs/client.md

types: schema  ## the console's types, from the API's schema, and the language as its tests read it
	$(BIN)/python -W ignore -m hombi.core.automation.schema > console/src/features/automations/language.json
	cd console && npx biome format --write src/features/automations/language.json
	cd console && npx openapi-typescript schema.json --default-non-nullable=false --empty-objects-unknown --output src/api/schema.d.ts

# What installs and what only looks goes side by side. The tests have the machine to themselves: four workers on two cores, since
# many of them wait.
test:  ## everything that must hold
	@$(MAKE) --no-print-directory --jobs 3 tools setup
	@$(MAKE) --no-print-directory --jobs 2 --output-sync=target check test-console
	$(BIN)/pytest --numprocesses 4 --dist loadfile --no-loadscope-reorder

test-console: setup
	cd console && npx vitest run

soak: tools setup wheel  ## the unit under a real systemd, two hundred power cuts, the hub killed sixty times under load, a thousand lost connections, examples that no other run had; some minutes
	scripts/systemd
	CUTS=200 $(BIN)/pytest tests/integration/test_power_cuts.py
	KILLS=60 DEAF=20000 $(BIN)/pytest tests/integration/test_nothing_lost.py tests/integration/test_notices.py -k "kill or never_reads"
	STREAMS=4000 SIZES=20 UPDATE_KILLS=40 RUNS=200 MINUTES=60 SPOILT=20 $(BIN)/pytest tests/links/test_door_bounds.py tests/service/test_streams.py tests/service/test_updating.py tests/core/test_coverage.py tests/hub/test_silence.py tests/service/test_backup.py -k "streams or connections or disk or killed or interval or silent or salvage or pages or written"
	DROPS=1000 $(BIN)/pytest tests/links/bluetooth -k drops_at_once
	EXAMPLES=others $(BIN)/pytest tests/core tests/links -m hypothesis
	EACH=1 $(BIN)/pytest tests/core/automation/test_hours.py
	SEED=$$$$ $(BIN)/pytest tests/service/test_schema.py

wheel: setup  ## a wheel with the console in it, in dist/: it installs without Node.js
	@$(BIN)/pip wheel --quiet --disable-pip-version-check --no-deps --wheel-dir dist .
	@ls dist/hombi-*.whl

bench: setup  ## how fast it is, as ratios of one run
	$(BIN)/python -m bench

format:
	$(BIN)/ruff check --fix . && $(BIN)/ruff format . && cd console && npx biome check --write .

clean:
	rm -rf .venv console/node_modules hombi/service/console_files
