# make demo | make test | make check | make shots
PYTHON ?= python3
VENV := .venv
BIN := $(VENV)/bin
PORT ?= 8430

.PHONY: demo serve test check check-words check-quick verify bench evidence shots lock vendor crash clean browser kernels needs front

demo: $(VENV)/.ready
	@$(BIN)/brook demo --port $(PORT)

serve: $(VENV)/.ready
	$(BIN)/brook serve --port $(PORT)

# The environment from the lock files; kernels are compiled beside the pages, or by `make kernels`.
$(VENV)/.ready: pyproject.toml requirements.lock scripts/install
	@scripts/install $(PYTHON) $(VENV)
	@touch $@

$(VENV)/.ready-dev: $(VENV)/.ready requirements-dev.lock
	@scripts/install $(PYTHON) $(VENV) dev
	@touch $@

kernels: $(VENV)/.ready
	$(BIN)/brook warm

# The list of kernels to compile ahead, from what real work needs.
needs: $(VENV)/.ready
	$(BIN)/python scripts/kernels.py

browser:
	scripts/install-browser

# What lints the front-end code; its tests need node alone.
node_modules/.ready: package.json package-lock.json
	scripts/install-node
	npm ci --silent --ignore-scripts
	touch $@

front: node_modules/.ready
	npm run --silent lint
	npm run --silent test

# Those that share one running server go one after the other, so that its workers have the cores.
test: $(VENV)/.ready-dev kernels browser front
	$(BIN)/pytest -n 2 -m "not server"
	$(BIN)/pytest -m server

# The server killed at twenty random moments of a scripted session.
crash: $(VENV)/.ready-dev
	BROOK_MOMENTS=20 $(BIN)/pytest tests/web/test_crash.py

check: $(VENV)/.ready-dev kernels node_modules/.ready
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .
	@$(MAKE) --no-print-directory --jobs=2 --output-sync=target check-words check-quick

check-words:
	$(BIN)/mypy
	$(BIN)/lint-imports
	npm run --silent lint

check-quick:
	$(BIN)/pytest -n 2 -m "not browser and not slow" tests/core

verify: $(VENV)/.ready
	$(BIN)/brook verify

# docs/evidence.md from what is measured now.
evidence: $(VENV)/.ready
	$(BIN)/python scripts/evidence.py

bench: $(VENV)/.ready
	$(BIN)/brook bench

# Pictures of the main views, made from the demo data.
shots: $(VENV)/.ready-dev browser
	$(BIN)/python scripts/screenshots.py

# New versions of everything; look at the tests before committing the lock files.
lock: $(VENV)/.ready-dev
	$(BIN)/python scripts/lock.py

vendor:
	$(PYTHON) scripts/vendor.py

clean:
	rm -rf $(VENV) $(VENV)-tools
