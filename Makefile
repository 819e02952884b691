# Each target does its own set-up: a virtual environment in .venv with Inkov and its tools.
PYTHON ?= python3
BIN := .venv/bin

.PHONY: demo test lint bench screenshots

.venv/ready: pyproject.toml
	$(PYTHON) -m venv .venv
	$(BIN)/python -m pip install --quiet --disable-pip-version-check --upgrade "pip>=25.1"
	$(BIN)/python -m pip install --quiet --disable-pip-version-check --editable . --group dev
	touch $@

demo: .venv/ready
	$(BIN)/inkov demo quillfin

test: .venv/ready
	$(BIN)/python -m pytest

lint: .venv/ready
	$(BIN)/ruff check src tests benchmarks scripts
	$(BIN)/ruff format --check src tests benchmarks scripts
	$(BIN)/mypy
	$(BIN)/lint-imports

bench: .venv/ready
	$(BIN)/python -m pip install --quiet --disable-pip-version-check --group bench
	$(BIN)/python benchmarks/run.py
	$(BIN)/python benchmarks/proofs.py

screenshots: .venv/ready
	$(BIN)/python scripts/screenshots.py
