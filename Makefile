# Everything here works on a fresh machine with Python 3.11, Node 20 and make; see README.md.
# PORT=8123 chooses the port of the demo.

PYTHON ?= python3.11
PORT ?= 8123
PY = .venv/bin/python
STAMPS = .venv/.stamps

SHELL = /bin/bash
# Tests start some hundred processes; each would translate the program anew where it may not keep what it made of it.
unexport PYTHONDONTWRITEBYTECODE
# As armuto/__init__.py has it, also where something loads NumPy before.
export OPENBLAS_NUM_THREADS ?= 1
.DELETE_ON_ERROR:
.PHONY: backup restore receiver outside-library capture-stage live-stage demo test check golden docs bench fuzz attack build setup api lock pictures demo-files clean

demo: setup build
	@$(PY) manage.py serve --demo --port $(PORT)

# Whatever needs no browser runs beside what does, in lanes on databases of their own, and gives way to it, since that
# takes longest. All of them begin at once: processors that have nothing to do at the end are time lost.
TEST = $(PY) manage.py test --noinput --parallel 1
test: setup build programs
	@own=$$(mktemp -d); mkdir $$own/studio $$own/core; \
	ARMUTO_DATA=$$own/studio nice -n 10 $(TEST) --exclude-tag browser --exclude-tag processes studio \
		> $$own/studio.txt 2>&1 & studio=$$!; \
	ARMUTO_DATA=$$own/core nice -n 10 $(TEST) armuto demo > $$own/core.txt 2>&1 & core=$$!; \
	ARMUTO_DATA=$$own/processes nice -n 5 $(TEST) --tag processes studio > $$own/processes.txt 2>&1 & processes=$$!; \
	$(TEST) --tag browser; failed=$$?; \
	for lane in $$core $$studio $$processes; do wait $$lane || failed=1; done; \
	cat $$own/core.txt $$own/studio.txt $$own/processes.txt; rm -rf $$own; exit $$failed

check: setup $(STAMPS)/web
	$(PY) -m ruff check .
	$(PY) -m ruff format --check .
	@long=$$(git ls-files '*.py' 'web/src/*.ts' 'web/src/*.vue' | grep -v schema.d.ts | xargs wc -l | awk '$$1 > 400 && $$2 != "total"'); \
	test -z "$$long" || { echo "Longer than 400 lines:"; echo "$$long"; exit 1; }
	.venv/bin/lint-imports --no-cache
	$(PY) -m mypy
	$(PY) manage.py makemigrations --check --dry-run
	$(PY) manage.py openapi | diff -q - web/openapi.json || { echo "The API has changed: run “make api”."; exit 1; }
	cd web && npm run --silent lint && npm run --silent types

# Copies the data file while the studio runs; TO names the copy. Restoring keeps what was there beside it.
backup: setup
	@$(PY) manage.py backup $(if $(TO),"$(TO)")

restore: setup
	@test -n "$(FROM)" || { echo "Say which copy: make restore FROM=..."; exit 1; }
	@$(PY) manage.py restore "$(FROM)"

# What another program makes of a delivery: FILE is its .zip. The studio has the same as a page, from the delivery's row.
receiver: $(STAMPS)/web
	@test -n "$(FILE)" || { echo "Say which delivery: make receiver FILE=delivery.zip"; exit 1; }
	@node web/receiver/print.js "$(FILE)"

# A library of motion somewhere else, to be watched as a source; OPTIONS let it misbehave (see standins/outside_library.py).
outside-library: setup
	@$(PY) -m standins.outside_library $(OPTIONS)

# A stage in the next room, whose takes are written into FOLDER, or streamed; OPTIONS as in standins/capture_stage.py
# and standins/live_stage.py.
capture-stage: setup
	@test -n "$(FOLDER)" || { echo "Say where to: make capture-stage FOLDER=folder, or make live-stage"; exit 1; }
	@$(PY) -m standins.capture_stage "$(FOLDER)" $(OPTIONS)

live-stage: setup
	@$(PY) -m standins.live_stage $(OPTIONS)

bench: setup
	$(PY) -m demo.bench

# Everything the studio answers about the demo data, into a folder: TO names it, AGAINST another one to compare with.
golden: setup
	@test -n "$(TO)" || { echo "Say where to: make golden TO=folder, and AGAINST=folder to compare."; exit 1; }
	@test -d "$(TO)" || $(PY) -m demo.golden "$(TO)"
	@test -z "$(AGAINST)" || $(PY) -m demo.golden "$(AGAINST)" "$(TO)"

# Thousands of damaged files, read or refused within bounded memory; COUNT says how many, SEED repeats a run, FORMAT=.dae
# takes one format alone.
COUNT ?= 5000
fuzz: setup
	@ulimit -v 8000000; $(PY) -m armuto.tests.mutations $(COUNT) $(or $(SEED),$(shell date +%s)) $(FORMAT)

# Eight people at a studio for so many SECONDS_LONG; fails on an error of the server, anything lost, or a slow answer.
SECONDS_LONG ?= 120
attack: setup build
	@$(PY) -m demo.attack $(SECONDS_LONG)

build: setup web/dist/index.html

setup: $(STAMPS)/kernels

# python3.11 may be called python3.
$(STAMPS)/python: requirements/dev.txt pyproject.toml
	@command -v $(PYTHON) >/dev/null || command -v python3 >/dev/null || { echo "Python 3.11 is missing; install it first."; exit 1; }
	@test -x $(PY) || { echo "Making the virtual environment …"; $$(command -v $(PYTHON) || command -v python3) -m venv .venv; }
	@echo "Installing Python packages …"
	@$(PY) -m pip install -qq --disable-pip-version-check --require-hashes -r requirements/dev.txt
	@$(PY) -m pip install -qq --disable-pip-version-check --no-build-isolation --no-deps -e .
	@mkdir -p $(STAMPS) && touch $@

# Compiled once, for everything that computes; without this the first to need them would.
$(STAMPS)/kernels: armuto/kinematics/kernels.py armuto/formats/decimals.py armuto/rigging/kernels.py $(STAMPS)/python
	@echo "Compiling the kernels …"
	@$(PY) -c "from armuto.lazy import COMPILED, load; load(*COMPILED)"
	@touch $@

$(STAMPS)/web: web/package-lock.json $(STAMPS)/python
	@command -v npm >/dev/null || { echo "Node 20 with npm is missing; install it first."; exit 1; }
	@echo "Installing front-end packages …"
	@cd web && npm ci --silent --no-fund --no-audit
	@mkdir -p $(STAMPS) && touch $@

WEB_SOURCES = $(shell find web/src web/public -type f) web/index.html web/vite.config.ts web/tsconfig.json

web/dist/index.html: $(STAMPS)/web $(WEB_SOURCES)
	@echo "Building the web application …"
	@cd web && npm run --silent build -- --logLevel warn
	@$(PY) -m whitenoise.compress --quiet web/dist

.PHONY: programs
programs:
	@command -v chromium-headless-shell >/dev/null || bash demo/debian.sh chromium-headless-shell 2>/dev/null \
		|| bash demo/debian.sh chromium=chromium,chromium-browser
	@bash demo/debian.sh redis-server

api: setup $(STAMPS)/web
	$(PY) manage.py openapi > web/openapi.json
	cd web && npm run --silent api

# The reference of the core, from its docstrings, into docs/reference.
docs: setup
	$(PY) -m sphinx -q -W --keep-going -b html docs/sphinx docs/reference

demo-files: setup
	$(PY) -m demo.make

# The pictures in docs/screenshots, from a fresh studio with the demo data.
pictures: setup build programs
	$(PY) -m demo.pictures

lock:
	uv pip compile --python-version 3.11 --generate-hashes --no-emit-index-url --custom-compile-command "make lock" requirements/studio.in -o requirements/studio.txt
	uv pip compile --python-version 3.11 --generate-hashes --no-emit-index-url --custom-compile-command "make lock" requirements/scaling.in -o requirements/scaling.txt
	uv pip compile --python-version 3.11 --generate-hashes --no-emit-index-url --custom-compile-command "make lock" requirements/dev.in -o requirements/dev.txt

clean:
	rm -rf .venv web/node_modules web/dist
