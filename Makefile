# One command each; the virtual environment and the system libraries are set up when missing.
PYTHON := .venv/bin/python
READY := .venv/.ready

.PHONY: demo test test-long walk bench check shots schema clean

demo: $(READY)
	.venv/bin/isotomon demo reach-blade

walk: $(READY)
	$(PYTHON) -m tests.walks 60

test: $(READY)
	$(PYTHON) -W error::ResourceWarning -m tests

test-long: $(READY)
	ISOTOMON_LONG=1 $(PYTHON) -W error::ResourceWarning -m tests

bench: $(READY)
	$(PYTHON) -m bench

check: $(READY)
	.venv/bin/ruff check src tests bench
	.venv/bin/ruff format --check src tests bench
	.venv/bin/mypy

shots: $(READY)
	$(PYTHON) -m bench.shots docs/screenshots

schema: $(READY)
	$(PYTHON) -m bench.schema

$(READY): requirements.lock pyproject.toml tools/setup.sh
	bash tools/setup.sh

clean:
	rm -rf .venv out build dist
