# Needs Python 3.11 or newer, make and git; everything else goes into .venv.
PYTHON ?= python3
BIN := .venv/bin
# Modules are compiled when they are first used, also where the machine says otherwise: tests start the program often.
export PYTHONDONTWRITEBYTECODE :=

.PHONY: demo test test-more test-long test-pythons soak check mutants bench bench-likeness bench-growth screenshots clean

demo: .venv/demo-installed
	$(BIN)/foldkeep demo

test: .venv/dev-installed
	$(BIN)/python -m pytest $(PARALLEL)

# What takes longer; continuous integration runs it beside `make test`.
test-more: .venv/dev-installed
	$(BIN)/python -m pytest $(PARALLEL) -m "more and not long"

test-long: .venv/dev-installed
	FOLDKEEP_EXPLORE=1 $(BIN)/python -m pytest $(PARALLEL) -m "more or not more"

# One process more than processors: some tests wait for the disk.
PARALLEL = -n $$(($$(getconf _NPROCESSORS_ONLN) + 1)) --dist worksteal

# Walks random chains of commands on several file systems, until it is stopped.
soak: .venv/dev-installed
	$(BIN)/python tests/soak.py

# Changes the code in small ways, and tells which no test notices; takes an hour.
mutants: .venv/dev-installed
	$(BIN)/python -m pip install --quiet --quiet --constraint constraints.txt pytest-cov
	$(BIN)/python scripts/mutants.py

# Runs the tests on each Python that is here, in an environment of its own.
PYTHONS ?= python3.11 python3.12 python3.13 python3.14

test-pythons:
	for python in $(PYTHONS); do \
		$$python -c "" 2>/dev/null || { echo "NOT RUN: $$python is not here"; continue; }; \
		here=.venv-$$($$python -c "import sys; print('%d.%d' % sys.version_info[:2])"); \
		test -x $$here/bin/python || $$python -m venv $$here; \
		$$here/bin/python -m pip install --quiet --quiet --constraint constraints.txt --editable '.[dev]' || exit 1; \
		$$here/bin/python -m pytest $(PARALLEL) || exit 1; \
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

.venv/demo-installed: pyproject.toml constraints.txt
	$(PYTHON) scripts/install.py demo $@

.venv/runtime-installed: .venv/demo-installed
	$(PYTHON) scripts/install.py all $@

.venv/dev-installed: .venv/demo-installed
	$(PYTHON) scripts/install.py dev $@
	touch .venv/runtime-installed
