# Every target sets up what it needs: a virtual environment in .venv with the package and its development tools.
PYTHON ?= python3
VENV := .venv
BIN := $(VENV)/bin
READY := $(VENV)/.ready

.PHONY: setup servers demo test fuzz fuzz-bare fuzz-broken fuzz-wishes fault plausible lint bench docs clean

setup: $(READY)

$(READY): pyproject.toml
	@$(PYTHON) -c 'import sys; sys.exit(sys.version_info < (3, 11) and "Weltigen needs Python 3.11 or newer: make PYTHON=python3.12")'
	$(PYTHON) -m venv $(VENV)
	$(BIN)/pip install --quiet --disable-pip-version-check --editable '.[dev]'
	touch $@

# the database servers that the tests start for themselves, where this user may install Debian packages
servers:
	@if ! { command -v mariadbd || ls /usr/sbin/mariadbd; } >/dev/null 2>&1 || ! ls /usr/lib/postgresql/*/bin/initdb >/dev/null 2>&1; then \
	  if [ "$$(id -u)" = 0 ] && command -v apt-get >/dev/null; then \
	    apt-get update -qq && DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends postgresql mariadb-server >/dev/null; \
	  else echo "no database servers here, and this user may not install them: what needs one is skipped"; fi; fi

demo: $(READY)
	rm -rf weltigen-demo
	$(BIN)/weltigen demo weltigen-demo

# compiled modules are kept whatever the environment says: the tests start some hundred commands; there is one process more than
# cores, as some of the tests wait for a server
test: $(READY) servers
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .
	$(BIN)/mypy --num-workers auto
	$(BIN)/python tools/make_reference.py --check
	PYTHONDONTWRITEBYTECODE= $(BIN)/pytest -n $$($(BIN)/python -c "import os; print(min(4, (os.cpu_count() or 1) + 1))") --dist worksteal $(PYTEST)

# thousands of random models: N of them, 3,000 when not given
fuzz: $(READY)
	WELTIGEN_MODELS=$(or $(N),3000) $(BIN)/pytest -n auto --dist worksteal tests/plan/test_models.py

# models that a database accepts, made up around rows that it accepted: N of them over three databases, 3,000 when not given,
# from the seed FIRST on
fuzz-bare: $(READY) servers
	WELTIGEN_BARE_FIRST=$(or $(FIRST),0) WELTIGEN_BARE_MODELS=$(or $(N),3000) $(BIN)/pytest -n auto --dist worksteal tests/bare

# what is broken: N mutations of models, world files and options, 2,000 when not given
fuzz-broken: $(READY)
	WELTIGEN_BROKEN=$(or $(N),2000) $(BIN)/pytest -n auto --dist worksteal tests/cli/test_broken.py

# loads that are cut off: N random moments for each kind of place, 100 when not given
fault: $(READY) servers
	WELTIGEN_FAULTS=$(or $(N),100) $(BIN)/pytest -n auto --dist worksteal tests/targets/test_interrupted.py

# random models with random world files: N of them, 3,000 when not given, from the seed FIRST on
fuzz-wishes: $(READY)
	WELTIGEN_WISHES_FIRST=$(or $(FIRST),0) WELTIGEN_WISHES=$(or $(N),3000) $(BIN)/pytest -n auto --dist worksteal tests/plan/test_wishes.py

# how many fields of bare models get values that a practitioner would accept: of the models in plausible/models, or in SCHEMAS
plausible: $(READY)
	$(BIN)/python plausible/judge.py --all $(SCHEMAS)

lint: $(READY)
	$(BIN)/ruff check --fix .
	$(BIN)/ruff format .
	$(BIN)/mypy --num-workers auto

bench: $(READY)
	$(BIN)/python benchmarks/bench.py

# what is made from the grammar: the JSON Schema that ships with the package, and the reference
docs: $(READY)
	$(BIN)/weltigen grammar > src/weltigen/readers/world-file.schema.json
	$(BIN)/python tools/make_reference.py

clean:
	rm -rf $(VENV) weltigen-demo build dist .mypy_cache .ruff_cache .pytest_cache src/*.egg-info
	find . -name __pycache__ -type d -prune -exec rm -rf {} +
