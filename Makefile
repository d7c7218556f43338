# Everything lives in .venv; the stamp is renewed when the pinned packages change.
VENV := .venv
BIN := $(VENV)/bin
STAMP := $(VENV)/.ready

.PHONY: demo test quick check bench shots texts mutants clean

# What was compiled once is kept: the suite starts the program some hundred times.
export PYTHONDONTWRITEBYTECODE =

$(STAMP): pyproject.toml constraints.txt tools/setup.sh
	@bash tools/setup.sh $(VENV)
	@touch $@

demo: $(STAMP)
	@$(BIN)/tensimeter demo ridge-pier

test: $(STAMP) check
	@QT_QPA_PLATFORM=offscreen $(BIN)/python -m pytest

# What a change touches: style, types, layers, and the tests nearest to it, in half a minute.
quick: $(STAMP)
	@$(BIN)/python tools/quick.py

check: $(STAMP)
	@$(BIN)/ruff check . && $(BIN)/ruff format --check .
	@$(BIN)/mypy
	@$(BIN)/lint-imports

bench: $(STAMP)
	@QT_QPA_PLATFORM=offscreen $(BIN)/python -m benchmarks

# How many small mistakes the tests of the core notice; FILES=GLOB for some of it, COUNT=60 of each room.
mutants: $(STAMP)
	@$(BIN)/pip install --quiet --disable-pip-version-check -c constraints.txt -e '.[mutants]'
	@$(BIN)/python tools/mutants.py $(if $(FILES),--files $(FILES)) --count $(or $(COUNT),60)

shots: $(STAMP)
	@QT_QPA_PLATFORM=offscreen $(BIN)/python -m tensimeter.ui.shots docs/screenshots

# Every text of the window, for those who translate it.
texts: $(STAMP)
	@$(BIN)/python tools/texts.py src/tensimeter/assets/translations/tensimeter.ts

clean:
	rm -rf $(VENV) .mutants demo-out build .mypy_cache .ruff_cache .pytest_cache
