# Needs Python 3.11 or newer, make and git; everything else goes into .venv.
PYTHON ?= python3
BIN := .venv/bin

.PHONY: demo test test-long test-pythons check bench bench-likeness bench-growth screenshots clean

demo: .venv/runtime-installed
	$(BIN)/foldkeep demo

test: .venv/dev-installed
	$(BIN)/python -m compileall -q src  # the program is started hundreds of times, where PYTHONDONTWRITEBYTECODE may be set
	$(BIN)/python -m pytest -n auto --dist loadfile

test-long: .venv/dev-installed
	FOLDKEEP_EXPLORE=1 $(BIN)/python -m pytest -n auto -m "long or not long"

# Runs the tests on each Python that is here, in an environment of its own.
PYTHONS ?= python3.11 python3.12 python3.13 python3.14

test-pythons:
	for python in $(PYTHONS); do \
		$$python -c "" 2>/dev/null || { echo "NOT RUN: $$python is not here"; continue; }; \
		here=.venv-$$($$python -c "import sys; print('%d.%d' % sys.version_info[:2])"); \
		test -x $$here/bin/python || $$python -m venv $$here; \
		$$here/bin/python -m pip install --quiet --quiet --constraint constraints.txt --editable '.[dev]' || exit 1; \
		$$here/bin/python -m pytest -n auto --dist loadfile || exit 1; \
	done

check: .venv/dev-installed
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .
	$(BIN)/mypy
	$(BIN)/lint-imports
	$(BIN)/python scripts/faces.py
	$(BIN)/python scripts/removals.py
	$(BIN)/python scripts/test_share.py

bench: .venv/runtime-installed
	$(BIN)/python -m benchmarks

bench-likeness: .venv/runtime-installed
	$(BIN)/python -m benchmarks.likeness

bench-growth: .venv/runtime-installed
	$(BIN)/python -m benchmarks.growth

# Needs xvfb, xterm, fonts-dejavu-core and imagemagick from the system's packages.
screenshots: .venv/runtime-installed
	$(BIN)/python scripts/screenshots.py

clean:
	rm -rf .venv .venv-* build dist src/*.egg-info

.venv/runtime-installed: pyproject.toml constraints.txt
	test -x $(BIN)/python || $(PYTHON) -m venv .venv
	$(BIN)/python -m pip install --quiet --quiet --constraint constraints.txt --editable '.[all]'
	touch $@

.venv/dev-installed: .venv/runtime-installed
	$(BIN)/python -m pip install --quiet --quiet --constraint constraints.txt --editable '.[dev]'
	touch $@
