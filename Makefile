# make demo · make test · make check · make bench · make shots: each sets up all it needs.
PORT ?= 8420
VENV := .venv
BIN := $(VENV)/bin
PYTHON ?= python3
PYTEST_WORKERS ?= 2

# compiled modules are kept whatever the surroundings say: starting reads 900 of them
export PYTHONDONTWRITEBYTECODE :=

.PHONY: demo test check bench shots assets clean

# uv installs the pins of uv.lock in seconds where pip takes minutes; it lies in an environment of its own
UV_FOLDER := .uv
UV := $(UV_FOLDER)/bin/uv
UV_VERSION := 0.13.9
SYNC := UV_PYTHON_DOWNLOADS=never UV_PROJECT_ENVIRONMENT=$(VENV) UV_LINK_MODE=copy \
	$(UV) sync --frozen --inexact --quiet --python $(PYTHON)

$(UV):
	$(PYTHON) -m venv $(UV_FOLDER)
	$(UV_FOLDER)/bin/python -m pip install -q --disable-pip-version-check uv==$(UV_VERSION)

$(VENV)/.run: pyproject.toml uv.lock | $(UV)
	$(SYNC)
	@touch $@

$(VENV)/.dev: $(VENV)/.run
	$(SYNC) --extra dev
	@touch $@

$(VENV)/.browser: scripts/browser.sh
	bash scripts/browser.sh
	@mkdir -p $(VENV) && touch $@

demo: $(VENV)/.run
	@exec $(BIN)/sedge demo --port $(PORT) $(if $(FRESH),--fresh,)

test: $(VENV)/.dev $(VENV)/.browser
	$(BIN)/python -m pytest -n $(PYTEST_WORKERS) --dist loadfile --no-loadscope-reorder tests

# side by side, what each says in one piece
check: $(VENV)/.dev
	@$(MAKE) --no-print-directory -j 2 --output-sync=target $(CHECKS)

CHECKS := check-types check-measures check-docs check-imports check-migrations check-lint \
	check-wording check-assets
.PHONY: $(CHECKS)

check-types:
	$(BIN)/pyright
check-measures:
	$(BIN)/python -m scripts.measure --check
check-docs:
	$(BIN)/python -m scripts.docs --check
check-imports:
	$(BIN)/lint-imports
check-migrations:
	$(BIN)/python -m scripts.check_migrations
check-lint:
	$(BIN)/ruff check src tests bench scripts
	$(BIN)/ruff format --check src tests bench scripts
check-wording:
	$(BIN)/python -m scripts.wording --check
check-assets:
	$(BIN)/python -m scripts.check_assets

bench: $(VENV)/.dev
	$(BIN)/python -m bench.figures --begin
	$(BIN)/python -m bench
	$(BIN)/python -m bench.pages
	$(BIN)/python -m bench.load
	$(BIN)/python -m bench.supply
	$(BIN)/python -m bench.register
	$(BIN)/python -m bench.safety
	$(BIN)/python -m bench.holders
	$(BIN)/python -m bench.paths
	$(BIN)/python -m bench.outbound
	$(BIN)/python -m bench.spend
	$(BIN)/python -m bench.ports
	$(BIN)/python -m bench.retiring
	$(BIN)/python -m bench.estate
	$(BIN)/python -m bench.figures --end
	KILLS=50 ORDER_KILLS=50 TASK_KILLS=50 BUSY_SECONDS=120 $(BIN)/python -m pytest tests/services/test_killing.py tests/services/test_many_at_once.py
	CALLS_EACH=31 $(BIN)/python -m pytest -n $(PYTEST_WORKERS) tests/api/test_described.py
	$(BIN)/python -m bench.soak

# after a change of a script or a style of the pages
assets: $(VENV)/.dev
	$(BIN)/python -m scripts.bundle

shots: $(VENV)/.dev $(VENV)/.browser
	$(BIN)/python -m scripts.shots

clean:
	rm -rf $(VENV) $(UV_FOLDER) var .pytest_cache .ruff_cache
