# make demo · make test · make check · make bench · make shots: each sets up all it needs.
PORT ?= 8420
VENV := .venv
BIN := $(VENV)/bin
PYTHON ?= python3
PYTEST_WORKERS ?= 2

.PHONY: demo test check bench shots clean

$(BIN)/python:
	$(PYTHON) -m venv $(VENV)

$(VENV)/.run: pyproject.toml constraints.txt | $(BIN)/python
	$(BIN)/python -m pip install -q --disable-pip-version-check -c constraints.txt -e .
	@touch $@

$(VENV)/.dev: $(VENV)/.run
	$(BIN)/python -m pip install -q --disable-pip-version-check -c constraints.txt -e '.[dev]'
	@touch $@

$(VENV)/.browser: scripts/browser.sh
	bash scripts/browser.sh
	@mkdir -p $(VENV) && touch $@

demo: $(VENV)/.run
	@exec $(BIN)/sedge demo --port $(PORT) $(if $(FRESH),--fresh,)

test: $(VENV)/.dev $(VENV)/.browser
	$(BIN)/python -m pytest -n $(PYTEST_WORKERS) --dist loadgroup tests

check: $(VENV)/.dev
	$(BIN)/ruff check src tests bench scripts
	$(BIN)/ruff format --check src tests bench scripts
	$(BIN)/lint-imports
	$(BIN)/pyright
	$(BIN)/python -m scripts.check_migrations
	$(BIN)/python -m scripts.check_assets
	$(BIN)/python -m scripts.docs --check
	$(BIN)/python -m scripts.measure --check

bench: $(VENV)/.dev
	$(BIN)/python -m bench
	$(BIN)/python -m bench.pages
	$(BIN)/python -m bench.supply
	$(BIN)/python -m bench.register
	$(BIN)/python -m bench.safety
	$(BIN)/python -m bench.holders
	$(BIN)/python -m bench.paths
	$(BIN)/python -m bench.ports
	$(BIN)/python -m bench.retiring
	$(BIN)/python -m bench.estate
	KILLS=50 ORDER_KILLS=50 TASK_KILLS=50 BUSY_SECONDS=120 $(BIN)/python -m pytest tests/services/test_killing.py tests/services/test_many_at_once.py

shots: $(VENV)/.dev $(VENV)/.browser
	$(BIN)/python -m scripts.shots

clean:
	rm -rf $(VENV) var .pytest_cache .ruff_cache
