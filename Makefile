# The two commands a person needs are `make demo` and `make test`; each sets up all it uses.
.PHONY: demo test long fuzz lint kit-figures types manual demo-log screenshots bench ready ready-test
BIN = .venv/bin

demo: ready
	@if [ -n "$$DISPLAY$$WAYLAND_DISPLAY" ]; then $(BIN)/nuvlo demo; else \
	  echo "No display here: painting the demo's first window unseen instead."; \
	  if command -v xvfb-run >/dev/null; then xvfb-run -a $(BIN)/nuvlo demo --check; \
	  else QT_QPA_PLATFORM=offscreen $(BIN)/nuvlo demo --check; fi; fi

# One thread of linear algebra to a worker: more would only fight for the same cores.
TESTS = QT_QPA_PLATFORM=offscreen OMP_NUM_THREADS=1 OPENBLAS_NUM_THREADS=1 $(BIN)/python -m pytest -n auto --dist worksteal

test: lint
	$(TESTS) -m "not long"

long: lint
	$(TESTS)

MINUTES = 5
fuzz: ready-test
	$(BIN)/python tools/fuzz.py --minutes $(MINUTES)
	$(BIN)/python tools/kills.py
	NUVLO_KILLS=1000 $(BIN)/python -m pytest -q tests/logbook/test_killed.py

lint: ready-test
	$(BIN)/ruff check src tests benchmarks tools
	$(BIN)/mypy
	$(BIN)/lint-imports

kit-figures: ready
	$(BIN)/python tools/kit_figures.py docs/kits

types: ready-test
	$(BIN)/python tools/fit_types.py

demo-log: ready
	$(BIN)/python tools/demo_log.py src/nuvlo/demo/logbook.json

manual: ready
	$(BIN)/python tools/manual_pages.py docs

screenshots: ready
	QT_QPA_PLATFORM=offscreen $(BIN)/python tools/screenshots.py docs/screenshots

bench: ready-test
	QT_QPA_PLATFORM=offscreen $(BIN)/python -m pytest benchmarks --benchmark-columns=min,median,rounds -s

ready:
	@tools/bootstrap.sh run

ready-test:
	@tools/bootstrap.sh test
