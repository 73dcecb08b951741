PYTHON = .venv/bin/python
# How long each attack goes on in the long tests (s).
ATTACK = 15
SCREEN = xvfb-run -a -s "-screen 0 1280x800x24"

.PHONY: demo test long check bench docs wheel mutants screenshots clean ready ready-dev

demo: ready
	$(PYTHON) -m gremio demo

ready:
	@scripts/setup.sh run

ready-dev:
	@scripts/setup.sh dev

test: ready-dev
	$(PYTHON) -m pytest -n 2 --dist worksteal --ignore tests/long

# What takes longer: kinds added to a copy of the source, files attacked, both ways of computing.
long: ready-dev
	@scripts/setup.sh validator
	@scripts/setup.sh docs
	GREMIO_ATTACK_SECONDS=$(ATTACK) $(PYTHON) -m pytest -n 2 --dist worksteal tests/long tests/attack

# The pages on the scripting face, read as files: build/pages/index.html.
docs: ready-dev
	@scripts/setup.sh docs
	$(PYTHON) scripts/build_pages.py

# What is installed elsewhere, with the guide, the pages and the man page in it.
wheel: docs
	rm -rf src/gremio/desktop/help/pages
	mkdir -p src/gremio/desktop/help
	cp -r build/pages src/gremio/desktop/help/pages
	$(PYTHON) -m pip wheel -q --no-deps --no-build-isolation -w dist .
	rm -rf src/gremio/desktop/help

check: ready-dev
	.venv/bin/ruff check src tests scripts
	.venv/bin/ruff format --check src tests scripts
	.venv/bin/mypy
	.venv/bin/lint-imports

# Small changes in the core, one at a time: which of them does no test notice? Takes an hour.
mutants: ready-dev
	@scripts/setup.sh mutants
	$(PYTHON) scripts/mutants.py

bench: ready-dev
	$(SCREEN) $(PYTHON) scripts/measure/bench.py $(ROWS)

screenshots: ready-dev
	$(PYTHON) scripts/keep_demo.py
	$(PYTHON) scripts/keep_kits.py
	$(PYTHON) scripts/draw_islands.py
	$(SCREEN) $(PYTHON) scripts/screenshots.py

clean:
	rm -rf .venv build dist .mypy_cache .ruff_cache .pytest_cache .import_linter_cache .hypothesis
	find src tests scripts -name __pycache__ -type d -exec rm -rf {} +
