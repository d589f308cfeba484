# Nothing to install first but Python 3.11, make and git; `make test` also takes Debian's Chromium when it may.
PYTHON ?= python3
VENV := .venv
BIN := $(VENV)/bin
DEMO_DATA ?=
PORT ?= 8370

.PHONY: demo demo-reset serve test check bench trials siege measure screenshots wheel fault-pages where clean help

help: ## this list
	@grep -E '^[a-z-]+:.*##' $(MAKEFILE_LIST) | sed 's/:.*## /\t/' | expand -t 16

$(VENV)/.stamp: requirements.lock pyproject.toml
	@PYTHON="$(PYTHON)" scripts/environment

demo: $(VENV)/.stamp ## start Volnik with the demo yard and print its address
	@$(BIN)/volnik demo --port $(PORT) $(if $(DEMO_DATA),--data $(DEMO_DATA))

demo-reset: $(VENV)/.stamp ## renew every demo rig
	@$(BIN)/volnik demo --reset $(if $(DEMO_DATA),--data $(DEMO_DATA))

serve: $(VENV)/.stamp ## start Volnik with the shop's own data
	@$(BIN)/volnik serve --port $(PORT)

test: $(VENV)/.stamp ## run everything, or W=word those of one word; installs Chromium when missing and allowed
	@scripts/outside
	@$(MAKE) --no-print-directory check
	@$(BIN)/python -W error -m tests $(W)

check: $(VENV)/.stamp ## style, types, layers
	@$(BIN)/ruff check volnik tests benchmarks
	@$(BIN)/ruff format --check -q volnik tests benchmarks
	@$(BIN)/mypy
	@$(BIN)/lint-imports --no-cache

bench: $(VENV)/.stamp ## measure speeds; figures are kept in docs/performance.md
	@$(BIN)/python -m benchmarks

$(VENV)/.siege: requirements-siege.lock $(VENV)/.stamp
	@$(BIN)/pip install -q --disable-pip-version-check --require-hashes -r requirements-siege.lock && touch $@ \
		|| echo "What asks by the description of the routes cannot be installed here; that trial is left out."

trials: $(VENV)/.stamp ## the check-up on thousands of logs whose fault is known, recommended numbers replayed and on 500 rigs; two hours
	@$(BIN)/python -m benchmarks.trials.causes
	@$(BIN)/python -m benchmarks.trials.replay
	@VOLNIK_RIGS=500 $(BIN)/python -m tests random_rigs

siege: $(VENV)/.stamp $(VENV)/.siege ## try kills, full disks, strangers and wild files at length; W=word those of one word
	@$(BIN)/python -m tests.siege $(W)

fault-pages: $(VENV)/.stamp ## write docs/faults anew from the table of faults
	@$(BIN)/python -m volnik.tasks.fault_pages docs/faults

measure: $(VENV)/.stamp ## how readable the house is: complexity, lengths, docstrings, tests
	@$(BIN)/python scripts/measure

wheel: $(VENV)/.stamp ## build one wheel with everything in it, into dist
	@$(BIN)/pip wheel -q --disable-pip-version-check --no-deps --no-build-isolation -w dist .
	@rm -rf build && ls dist/*.whl

screenshots: $(VENV)/.stamp ## renew docs/screenshots from the demo data
	@scripts/outside
	@$(BIN)/python -m tests.browser.screenshots

where: ## where a word lives: make where W=path
	@git ls-files | grep -i -- "$(W)"

clean: ## forget the environment
	rm -rf $(VENV)
