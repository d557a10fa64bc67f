# Every target sets up what it needs: a virtual environment in .venv with the package and its development tools.
PYTHON ?= python3
VENV := .venv
BIN := $(VENV)/bin
READY := $(VENV)/.ready

.PHONY: setup demo test lint bench docs clean

setup: $(READY)

$(READY): pyproject.toml
	@$(PYTHON) -c 'import sys; sys.exit(sys.version_info < (3, 11) and "Weltigen needs Python 3.11 or newer: make PYTHON=python3.12")'
	$(PYTHON) -m venv $(VENV)
	$(BIN)/pip install --quiet --disable-pip-version-check --editable '.[dev]'
	touch $@

demo: $(READY)
	rm -rf weltigen-demo
	$(BIN)/weltigen demo weltigen-demo

test: $(READY)
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .
	$(BIN)/mypy
	$(BIN)/python tools/make_reference.py --check
	$(BIN)/pytest

lint: $(READY)
	$(BIN)/ruff check --fix .
	$(BIN)/ruff format .
	$(BIN)/mypy

bench: $(READY)
	$(BIN)/python benchmarks/bench.py

# what is made from the grammar: the JSON Schema that ships with the package, and the reference
docs: $(READY)
	$(BIN)/weltigen grammar > src/weltigen/readers/world-file.schema.json
	$(BIN)/python tools/make_reference.py

clean:
	rm -rf $(VENV) weltigen-demo build dist .mypy_cache .ruff_cache .pytest_cache src/*.egg-info
	find . -name __pycache__ -type d -prune -exec rm -rf {} +
