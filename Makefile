# Two commands do everything: `make demo` and `make test`. Both make the environment first, once.
PYTHON ?= python3
VENV   := .venv
BIN    := $(VENV)/bin
READY  := $(VENV)/.ready

.PHONY: demo test thorough bench shots format clean

demo: $(READY)
	$(BIN)/pennyweight demo --folder build/demo

test: $(READY)
	@begun=$$(date +%s) && \
	$(BIN)/ruff check . && \
	$(BIN)/ruff format --check . && \
	$(BIN)/mypy && \
	$(BIN)/lint-imports --no-cache && \
	$(BIN)/pytest -rs && \
	echo "The tests took $$(($$(date +%s) - begun)) seconds."

thorough: $(READY)
	$(BIN)/pytest --thorough
	$(BIN)/python -m tests.hostile --cases 200000

bench: $(READY)
	$(BIN)/python -m benchmarks

shots: $(READY)
	$(BIN)/python docs/make_screenshots.py

format: $(READY)
	$(BIN)/ruff check --fix .
	$(BIN)/ruff format .

$(READY): pyproject.toml constraints.txt
	$(PYTHON) -m venv $(VENV)
	$(BIN)/python -m pip install --quiet --disable-pip-version-check -c constraints.txt -e '.[dev]'
	touch $@

clean:
	rm -rf $(VENV) build dist
