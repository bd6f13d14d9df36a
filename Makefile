PYTHON ?= python3

.PHONY: demo test lint clean

# A run-time environment of its own, so that the demo needs nothing but the tool.
.venv/demo.done: pyproject.toml
	$(PYTHON) -m venv .venv
	.venv/bin/pip install --quiet .
	touch $@

.venv/test.done: pyproject.toml
	$(PYTHON) -m venv .venv
	.venv/bin/pip install --quiet -e '.[dev]'
	touch $@

demo: .venv/demo.done
	.venv/bin/tallcheck demo tallcheck-demo

test: .venv/test.done
	.venv/bin/python -m pytest

lint: .venv/test.done
	.venv/bin/ruff check .
	.venv/bin/ruff format --check .
	.venv/bin/mypy

clean:
	rm -rf .venv build src/*.egg-info tallcheck-demo
