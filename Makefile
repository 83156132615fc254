# Needs Python 3.11 or newer, make and git; everything else goes into .venv.
PYTHON ?= python3
BIN := .venv/bin

.PHONY: demo test test-long check bench screenshots clean

demo: .venv/runtime-installed
	$(BIN)/foldkeep demo

test: .venv/dev-installed
	$(BIN)/python -m pytest -n auto --dist loadfile

test-long: .venv/dev-installed
	FOLDKEEP_EXPLORE=1 $(BIN)/python -m pytest -n auto -m "long or not long"

check: .venv/dev-installed
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .
	$(BIN)/mypy
	$(BIN)/lint-imports
	$(BIN)/python scripts/test_share.py

bench: .venv/runtime-installed
	$(BIN)/python -m benchmarks

# Needs xvfb, xterm, fonts-dejavu-core and imagemagick from the system's packages.
screenshots: .venv/runtime-installed
	$(BIN)/python scripts/screenshots.py

clean:
	rm -rf .venv build dist src/*.egg-info

.venv/runtime-installed: pyproject.toml constraints.txt
	test -x $(BIN)/python || $(PYTHON) -m venv .venv
	$(BIN)/python -m pip install --quiet --quiet --constraint constraints.txt --editable .
	touch $@

.venv/dev-installed: .venv/runtime-installed
	$(BIN)/python -m pip install --quiet --quiet --constraint constraints.txt --editable '.[dev]'
	touch $@
