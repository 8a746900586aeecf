# make demo: install, build, load demo data, serve on loopback.   make test: everything CI runs.
PY := .venv/bin/python
S := .stamps
PORT ?= 8017
PYTEST = $(PY) -m pytest -n auto --dist worksteal
export PIP_DISABLE_PIP_VERSION_CHECK = 1
export PYBAMM_DISABLE_TELEMETRY = true

.PHONY: demo serve test test-long test-parts web-test lint lint-python lint-web bench dist docs build format shots clean

demo: $(S)/python $(S)/web
	@EWERER_DATA= .venv/bin/ewerer demo --port $(PORT) --data var/demo

serve: $(S)/python $(S)/web
	@.venv/bin/ewerer serve --port $(PORT)

$(S)/python: requirements.txt pyproject.toml
	@tools/quietly "Installing Python packages" ' \
		ldconfig -p | grep -q libpangoft2-1.0 \
			|| { apt-get update -qq && DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends libpango-1.0-0 libpangoft2-1.0-0; } \
			|| echo "no libpango: PDF pages cannot be made"; \
		test -x $(PY) || python3 -m venv .venv; \
		.venv/bin/pip install -q --require-hashes -r requirements.txt; \
		.venv/bin/pip install -q --no-deps --no-build-isolation -e . || .venv/bin/pip install -q --no-deps -e .; \
		$(PY) -m compileall -q src/ewerer; \
		$(PY) -c "import django, numba, numpy, pydantic, ewerer"; \
		.venv/bin/ewerer simulate src/ewerer/demo/larch-hollow-workshop.json >/dev/null  # compiles the kernel once, for the first simulated day'
	@mkdir -p $(S) && touch $@

$(S)/python-test: $(S)/python requirements-test.txt
	@tools/quietly "Installing what tests need" ' \
		.venv/bin/pip install -q --require-hashes -r requirements-test.txt; \
		$(PY) -c "import pytest, xdist, playwright, hypothesis, ortools"'
	@touch $@

$(S)/chromium:
	@command -v chromium-headless-shell >/dev/null || tools/quietly "Installing chromium" ' \
		apt-get update -qq; DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends chromium-headless-shell'
	@mkdir -p $(S) && touch $@

$(S)/node: web/package-lock.json
	@tools/quietly "Installing front-end packages" 'cd web && npm ci --silent --no-audit --no-fund --ignore-scripts'
	@mkdir -p $(S) && touch $@

$(S)/web: $(S)/node $(S)/python $(shell find web/src web/public web/index.html web/vite.config.ts -type f 2>/dev/null)
	@tools/quietly "Building the front end" '(cd web && npm run -s build); $(PY) -m whitenoise.compress -q src/ewerer/server/static'
	@touch $@

build: $(S)/web

# Lint, types, front end, core, server and the journeys of a user in a browser. docs/testing.md says what is where.
test: $(S)/python-test $(S)/web $(S)/chromium
	@tools/timed "make test, all of it" $(MAKE) -s test-parts

test-parts:
	@tools/timed "checks and front end" $(MAKE) -s -j2 lint-web web-test lint-python
	@tools/timed "core" $(PYTEST) tests/core tests/outside tests/rig tests/logs -p no:django -m "not long"
	@tools/timed "server and browser" $(PYTEST) tests/server tests/e2e -m "not long"

# All random searches at full size, kills, every view in all sizes and themes, with coverage by branches.
test-long: export EWERER_EXPLORE = 1
test-long: $(S)/python-test $(S)/web $(S)/chromium
	@tools/timed "make test-long" $(PYTEST) tests --cov=ewerer --cov-branch --cov-report= --cov-fail-under=94

web-test: $(S)/python-test $(S)/node
	@$(PY) -m tests.streams var/streams.json
	@$(PY) -m tests.numbers var/numbers.json
	@cd web && npm run -s test

lint: lint-python lint-web

lint-python: $(S)/python-test
	@.venv/bin/ruff check src tests bench tools
	@.venv/bin/ruff format --check -q src tests bench tools
	@.venv/bin/mypy
	@PYTHONPATH=src .venv/bin/lint-imports --no-logo
	@PYTHONPATH=src $(PY) tools/layers.py --check
	@$(PY) tools/literals.py --check
	@PYTHONPATH=src $(PY) tools/help.py
	@$(PY) tools/words.py --check

lint-web: $(S)/node
	@cd web && npm run -s lint && npm run -s format && npm run -s typecheck
	@cd web && npx openapi-typescript ../docs/openapi.json -o ../$(S)/schema.ts >/dev/null 2>&1 && \
		{ cmp -s ../$(S)/schema.ts src/api/schema.ts || { echo "web/src/api/schema.ts is not what docs/openapi.json says: run make docs"; exit 1; }; }

format: $(S)/python-test $(S)/node
	@.venv/bin/ruff check --fix -q src tests bench tools; .venv/bin/ruff format -q src tests bench tools
	@cd web && npx prettier --log-level warn --write src tests

docs: $(S)/python $(S)/node
	@EWERER_DATA=var/docs PYTHONPATH=src $(PY) tools/write_docs.py docs
	@PYTHONPATH=src $(PY) tools/layers.py
	@PYTHONPATH=src $(PY) tools/help.py
	@$(PY) tools/words.py >/dev/null
	@cd web && npm run -s types >/dev/null

# One wheel with the front end in it: dist/ewerer-VERSION-py3-none-any.whl. docs/running.md leads on from there.
dist: $(S)/web
	@rm -rf dist build
	@.venv/bin/pip wheel -q --no-deps -w dist . 2>&1 | { grep -v ^WARNING || true; }
	@rm -rf build; ls dist

bench: $(S)/python-test $(S)/web $(S)/chromium
	@$(PY) -m bench.bench --write docs/benchmarks.md

shots: $(S)/python-test $(S)/web $(S)/chromium
	@$(PY) -m bench.shots docs/screenshots

clean:
	rm -rf .venv .stamps web/node_modules src/ewerer/server/static var dist
