# Each target does its own set-up: a virtual environment in .venv with Inkov, and with its tools where they are needed.
PYTHON ?= python3
BIN := .venv/bin
PIP := $(BIN)/python -m pip install --quiet --disable-pip-version-check

.PHONY: demo test test-long lint bench mutants screenshots

.venv/inkov: pyproject.toml
	$(PYTHON) -m venv .venv
	$(PIP) --editable '.[draw]'
	$(BIN)/python -m compileall -q src
	touch $@

.venv/ready: .venv/inkov
	$(PIP) --upgrade "pip>=25.1"
	$(PIP) --editable . --group dev
	$(BIN)/python -m compileall -q src
	touch $@

demo: .venv/inkov
	$(BIN)/inkov demo quillfin

# The same answer every time: random campuses are drawn from fixed seeds.
test: .venv/ready
	$(BIN)/python -m pytest -n 2 --dist worksteal

# All cases of all tests, and then random and long: an hour or two of campuses nobody has seen.
test-long: .venv/ready
	$(BIN)/python -m pytest -n 2 --dist worksteal --all
	HYPOTHESIS_PROFILE=long $(BIN)/python -m pytest tests/proof tests/recheck tests/plan tests/forwarding

lint: .venv/ready
	$(BIN)/ruff check src tests benchmarks scripts
	$(BIN)/ruff format --check src tests benchmarks scripts
	$(BIN)/mypy
	$(BIN)/lint-imports

bench: .venv/ready
	$(PIP) --group bench
	$(BIN)/python benchmarks/run.py
	$(BIN)/python benchmarks/proofs.py
	$(BIN)/python benchmarks/commands.py
	$(BIN)/python benchmarks/shapes.py
	$(BIN)/python benchmarks/walks.py
	$(BIN)/python benchmarks/cures.py
	$(BIN)/python benchmarks/clinic.py
	$(BIN)/python benchmarks/changing.py

# Which changes to the heart of the program the tests would not notice; an hour or two.
mutants: .venv/ready
	$(BIN)/python scripts/mutants.py

screenshots: .venv/ready
	$(BIN)/python scripts/screenshots.py
