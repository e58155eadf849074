# The commands anyone must know: make demo, make test, make bench, make lint; make endurance runs for hours.
PYTHON ?= python3
PORT ?= 8000
ROWS ?=
SERVER ?= sqlite
PY := .venv/bin/python

.PHONY: demo test bench endurance lint setup vendor format screenshots

setup:
	@$(PYTHON) scripts/setup.py

demo: setup
	@$(if $(filter-out sqlite,$(SERVER)),$(PYTHON) scripts/debian.py $(SERVER))
	@$(PY) manage.py demo $(if $(ROWS),--rows $(ROWS)) --port $(PORT) --server $(SERVER)

test: setup
	@$(PYTHON) scripts/debian.py
	@$(PYTHON) scripts/tools.py
	@$(PY) -W error::DeprecationWarning:enlace manage.py test --noinput

bench: setup
	@$(PYTHON) scripts/debian.py
	@$(PY) -m bench $(PARTS)

endurance: setup
	@$(PYTHON) scripts/debian.py
	@$(PY) -m bench.long

lint: setup
	@$(PY) -m ruff check . && $(PY) -m ruff format --check .
	@$(PY) -m mypy
	@.venv/bin/lint-imports --no-cache
	@$(PYTHON) scripts/tools.py
	@.venv/bin/djlint enlace --lint --check --quiet
	@node_modules/.bin/biome check --error-on-warnings

format: setup
	@$(PY) -m ruff check --fix . ; $(PY) -m ruff format .
	@.venv/bin/djlint enlace --reformat --quiet ; node_modules/.bin/biome format --write

vendor: setup
	@$(PY) scripts/vendor.py

screenshots: setup
	@$(PY) -m scripts.screenshots
