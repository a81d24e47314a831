# Two commands do everything: `make demo` and `make test`. Both make the environment first, once.
PYTHON ?= python3
VENV   := .venv
BIN    := $(VENV)/bin
READY  := $(VENV)/.ready
# Bytecode is kept with the environment, so that nothing is compiled twice and the tree stays clean.
export PYTHONDONTWRITEBYTECODE :=
export PYTHONPYCACHEPREFIX := $(abspath $(VENV))/bytecode

.PHONY: demo test whole thorough bench shots docs docs-outputs dist man format clean

demo: $(READY)
	$(BIN)/pennyweight demo --folder build/demo

# The kinds are checked while the tests run: the two take about as long.
test: $(READY)
	@date +%s > $(VENV)/.begun
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .
	$(BIN)/lint-imports --no-cache
	@$(BIN)/mypy > $(VENV)/.kinds 2>&1 & kinds=$$!; \
	$(BIN)/pytest -rs; tests=$$?; \
	wait $$kinds; right=$$?; echo "mypy: $$(cat $(VENV)/.kinds)"; \
	[ $$tests = 0 ] && [ $$right = 0 ]
	@echo "The tests took $$(($$(date +%s) - $$(cat $(VENV)/.begun))) seconds."

whole: $(READY)
	$(BIN)/pytest -rs --tests whole

thorough: $(READY)
	$(BIN)/pytest --tests thorough
	$(BIN)/python -m tests.hostile --cases 200000

bench: $(READY)
	$(BIN)/python -m benchmarks

shots: $(READY)
	$(BIN)/python docs/make_screenshots.py

# What is generated first, then the pages: a warning is an error, links are checked, nothing is fetched.
docs: $(READY)
	$(BIN)/python -m docs.make_reference
	$(BIN)/python -m docs.make_site
	$(BIN)/python -m docs.make_trust
	$(BIN)/sphinx-build -W --keep-going -q -b html docs build/docs
	@echo "Open build/docs/index.html"

# What the commands and the Python lines of every page print, written anew.
docs-outputs: $(READY)
	$(BIN)/python -m docs.pages

# The source and the wheel, and the wheel tried in fresh environments with the oldest and newest of what it needs.
dist: $(READY)
	rm -rf dist
	$(BIN)/python -m hatchling build -d dist
	$(BIN)/python -m release.try_wheel

man: $(READY)
	$(BIN)/python -m release.make_man build/man/pennyweight.1

format: $(READY)
	$(BIN)/ruff check --fix .
	$(BIN)/ruff format .

$(READY): pyproject.toml constraints.txt
	$(PYTHON) -m venv $(VENV)
	$(BIN)/python -m pip install --quiet --disable-pip-version-check -c constraints.txt -e '.[dev]'
	touch $@

clean:
	rm -rf $(VENV) build dist
