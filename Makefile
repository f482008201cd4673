# Two commands for a fresh machine: `make demo` and `make test`.
PYTHON ?= python3
VENV ?= .venv
BIN := $(VENV)/bin
STAMP := $(VENV)/.installed

.PHONY: compiled demo serve test quick lint bench vendor scenes sounds clip icons docs pictures requirements clean

demo: compiled
	$(BIN)/tesoura demo $(ARGS)

serve: compiled
	$(BIN)/tesoura serve $(ARGS)

# What fails in the crowd is tried once more by itself, on a machine that does nothing else; what fails then has failed.
test: compiled
	sh tools/ensure_browser.sh
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .
	$(BIN)/mypy
	$(BIN)/lint-imports
	$(BIN)/pytest -n 3 --dist worksteal $(ARGS) || $(BIN)/pytest --last-failed --last-failed-no-failures none

# While working: the core's tests, and those of the rooms in which something has changed.
quick: compiled
	$(BIN)/python tools/quick.py $(ARGS)

lint: $(STAMP)
	$(BIN)/ruff check --fix .
	$(BIN)/ruff format .
	$(BIN)/mypy
	$(BIN)/lint-imports

bench: compiled
	sh tools/ensure_browser.sh
	$(BIN)/python -m benchmarks $(ARGS)

# Fetches the front-end files again and records their versions and licences.
vendor:
	$(PYTHON) tools/vendor.py

# Draws the scene pictures that ship, and measures them for the fit check.
scenes: $(STAMP)
	sh tools/ensure_browser.sh
	$(BIN)/python tools/scenes.py

# Makes the sounds that ship.
sounds: $(STAMP)
	$(BIN)/python tools/sounds.py

# Makes the clip that replays are tried with.
clip: $(STAMP)
	$(BIN)/python -m tools.made_up_clip

# Draws the icons of the phone's home screen from the mark.
icons: $(STAMP)
	sh tools/ensure_browser.sh
	$(BIN)/python -m tools.icons

# Writes the pages of game and track events from their schemas.
docs: $(STAMP)
	$(BIN)/python tools/game_events.py
	$(BIN)/python tools/track_events.py

# Draws every picture in docs/screenshots again, from demo data.
pictures: $(STAMP)
	sh tools/ensure_browser.sh
	$(BIN)/python tools/pictures.py $(ARGS)

# Pins what pyproject.toml asks for, with hashes. Needs `uv` on the path.
requirements:
	uv pip compile pyproject.toml --universal --python-version 3.11 --generate-hashes --no-emit-index-url --no-annotate --no-header -q --upgrade -o requirements/run.txt
	uv pip compile pyproject.toml --group dev --universal --python-version 3.11 --generate-hashes --no-emit-index-url --no-annotate --no-header -q --upgrade -o requirements/dev.txt

$(STAMP): requirements/dev.txt pyproject.toml
	$(PYTHON) -m venv $(VENV)
	$(BIN)/python -m pip install --quiet --disable-pip-version-check --require-hashes -r requirements/build.txt
	$(BIN)/python -m pip install --quiet --disable-pip-version-check --require-hashes -r requirements/dev.txt
	$(BIN)/python -m pip install --quiet --disable-pip-version-check --no-deps --no-build-isolation --editable .
	touch $(STAMP)

# Compiles every module and template once, so that no start does, even where Python is told to write no bytecode.
compiled: $(STAMP)
	$(BIN)/python -m compileall -q src/tesoura tests benchmarks
	$(BIN)/python tools/compile_templates.py

clean:
	rm -rf $(VENV) build .pytest_cache .mypy_cache .ruff_cache
