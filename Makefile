.PHONY: setup ready demo test soak bench lint screenshots faults

# Python keeps what it has compiled, whatever the surroundings say.
unexport PYTHONDONTWRITEBYTECODE

setup:
	@scripts/setup.sh

ready:
	@scripts/setup.sh tests

demo: setup
	@scripts/demo.sh

test: ready
	@FICTILIS_VIRTUAL=1 scripts/on_screen.sh .venv/bin/python -m pytest -n 2 tests

soak: ready
	@FICTILIS_VIRTUAL=1 FICTILIS_SOAK=$${FICTILIS_SOAK:-1} scripts/on_screen.sh .venv/bin/python -m pytest -n 2 -m soak --timeout 3600 --ignore tests/app/test_monkey.py tests
	@scripts/monkeys.sh

bench: setup
	@env -u OPENBLAS_CORETYPE -u OPENBLAS_L2_SIZE FICTILIS_VIRTUAL=1 scripts/on_screen.sh .venv/bin/python -m benchmarks
	@env -u OPENBLAS_CORETYPE -u OPENBLAS_L2_SIZE FICTILIS_VIRTUAL=1 PYTHONPATH=. scripts/on_screen.sh .venv/bin/python -m benchmarks.large

lint: setup
	@.venv/bin/ruff check . && .venv/bin/ruff format --check . && .venv/bin/mypy

screenshots: ready
	@FICTILIS_VIRTUAL=1 scripts/on_screen.sh .venv/bin/python -m scripts.screenshots

faults: setup
	@.venv/bin/python -m pip install --quiet --disable-pip-version-check ".[faults]"
	@.venv/bin/python -m scripts.mutate
