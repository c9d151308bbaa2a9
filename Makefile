# The two commands of the README, and what developers use. Plain commands for machines without make stand in README.md.
PYTHON ?= python3
BIN = .venv/bin

.PHONY: demo test quick lowest lint fuzz bench docs screenshots clean

.venv/ready: pyproject.toml
	$(PYTHON) -m venv .venv
	$(BIN)/python -m pip install --quiet --disable-pip-version-check -e .
	touch .venv/ready

.venv/tests: .venv/ready
	$(BIN)/python -m pip install --quiet --disable-pip-version-check -e '.[test]'
	touch .venv/tests

demo: .venv/ready
	rm -rf kotrel-demo
	$(BIN)/kotrel demo kotrel-demo

test: .venv/tests
	$(BIN)/python -m tests

# The core alone, in about a minute.
quick: .venv/tests
	POLARS_MAX_THREADS=1 $(BIN)/python -m tests core

# All tests with the lowest versions that pyproject.toml names.
lowest: .venv/tests
	$(BIN)/python -m pip install --quiet --disable-pip-version-check uv
	rm -rf .venv-lowest && $(BIN)/uv venv --quiet --python $(BIN)/python .venv-lowest
	$(BIN)/uv pip install --quiet --python .venv-lowest/bin/python --resolution lowest-direct -e '.[test]'
	.venv-lowest/bin/python -m tests

lint: .venv/tests
	$(BIN)/ruff check src tests benchmarks scripts
	$(BIN)/ruff format --check src tests benchmarks scripts
	$(BIN)/mypy
	$(BIN)/python scripts/complexity.py

fuzz: .venv/tests
	$(BIN)/python -m tests.fuzz.service 600 1

bench: .venv/tests
	$(BIN)/python -m pip install --quiet --disable-pip-version-check -e '.[bench]'
	$(BIN)/python -m benchmarks.run

docs: .venv/ready
	$(BIN)/python scripts/reference_pages.py
	$(BIN)/python -m pip install --quiet --disable-pip-version-check -e '.[docs]'
	$(BIN)/sphinx-build -q -W --keep-going -b html docs docs/site
	@echo "The site: docs/site/index.html"

screenshots: .venv/ready
	$(BIN)/python -m pip install --quiet --disable-pip-version-check -e '.[pictures]'
	$(BIN)/python scripts/screenshots.py

clean:
	rm -rf .venv .venv-lowest kotrel-demo
