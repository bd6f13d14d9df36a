PYTHON ?= python3

.PHONY: demo test lint pictures clean

# A run-time environment of its own, so that the demo needs nothing but the tool.
.venv/demo.done: pyproject.toml
	@echo "Setting up .venv with all that the tool uses; this takes a minute or two."
	@$(PYTHON) -m venv .venv
	@.venv/bin/pip install --quiet '.[full]'
	touch $@

.venv/test.done: pyproject.toml
	@echo "Setting up .venv with all that the tests use; this takes a minute or two."
	@$(PYTHON) -m venv .venv
	@.venv/bin/pip install --quiet -e '.[dev]'
	touch $@

demo: .venv/demo.done
	@echo "The demo: its data goes into tallcheck-demo, and the main job runs on it."
	@.venv/bin/tallcheck demo tallcheck-demo

# One test drives a real sshd on the loopback address; it is installed here where it may be, and
# where it cannot be, that test alone is skipped.
test: .venv/test.done
	@if [ "$$(id -u)" = 0 ] && command -v apt-get >/dev/null && ! command -v sshd >/dev/null; then \
	  { apt-get update -qq; apt-get install -y -qq openssh-client openssh-server; } >/dev/null \
	  || echo "no sshd could be installed: what it is for is skipped"; fi
	.venv/bin/python -m pytest -n auto --cov=tallcheck --cov-report=term:skip-covered --cov-fail-under=88

lint: .venv/test.done
	.venv/bin/ruff check .
	.venv/bin/ruff format --check .
	.venv/bin/mypy

# Every picture of the documentation, drawn anew; it needs Debian's xvfb, xterm, imagemagick,
# ghostscript, chromium and libreoffice-calc, and installs them where it may.
pictures: .venv/test.done
	@if [ "$$(id -u)" = 0 ] && command -v apt-get >/dev/null && \
	  ! { command -v Xvfb && command -v xterm && command -v import && command -v gs && command -v chromium && command -v soffice; } >/dev/null; then \
	  apt-get update -qq && apt-get install -y -qq xvfb xterm imagemagick ghostscript chromium libreoffice-calc fonts-dejavu >/dev/null; fi
	.venv/bin/python docs/pictures.py

clean:
	rm -rf .venv build src/*.egg-info tallcheck-demo

.PHONY: pages test-windows portable

# The manual page from the commands' parsers, and the page of what is said, written anew.
pages: .venv/test.done
	.venv/bin/python docs/manual.py
	.venv/bin/python docs/messages.py

# One program to carry, built by a Windows Python under Wine; prepare.sh sets up all that it needs.
# On Windows itself: python portable\build.py
portable: .venv/test.done
	tests/windows/prepare.sh
	tests/windows/portable.sh

# The built program, and the one to carry, on a Windows Python under Wine.
test-windows: portable
	.venv/bin/python -m pytest tests/windows

.PHONY: test-cluster

# A list in parts on two workers of a distributed engine, which is installed for it.
test-cluster: .venv/test.done
	.venv/bin/pip install --quiet 'distributed>=2024'
	.venv/bin/python -m pytest -s tests/cluster

.PHONY: test-boot

# The Linux kit on booted machines of three architectures under QEMU, which is installed where it
# may be; their kernels come from Debian.
test-boot: .venv/test.done
	@if [ "$$(id -u)" = 0 ] && command -v apt-get >/dev/null && ! command -v qemu-system-aarch64 >/dev/null; then \
	  apt-get update -qq && apt-get install -y -qq --no-install-recommends qemu-system-x86 qemu-system-arm >/dev/null; fi
	.venv/bin/python tests/boot/prepare.py
	.venv/bin/python -m pytest tests/boot

.PHONY: fuzz laws

SECONDS ?= 600

# Each law that holds over generated things, in turn, for a share of SECONDS with fresh seeds.
laws: .venv/test.done
	.venv/bin/python -m tests.laws --seconds $(SECONDS)

# Every door in turn for a share of SECONDS; the fuzzer has wheels for Linux. Now and then a process
# that is done does not end, for its threads wait for each other; it is ended then.
fuzz: .venv/test.done
	@.venv/bin/pip install --quiet 'atheris>=2.3' || { echo "no fuzzer to be had: skipped"; exit 0; }; \
	each=$$(( $(SECONDS) / $$(.venv/bin/python fuzz/doors.py | wc -l) + 1 )); mkdir -p build; \
	for door in $$(.venv/bin/python fuzz/doors.py); do \
	  echo "$$door: $$each s"; \
	  timeout -k 5 $$(( each + 90 )) .venv/bin/python fuzz/doors.py $$door -max_total_time=$$each -rss_limit_mb=2000 \
	    -timeout=20 -artifact_prefix=build/fuzz-$$door- > build/fuzz-$$door.log 2>&1 \
	    || grep -q "^Done [0-9]* runs" build/fuzz-$$door.log || { tail -40 build/fuzz-$$door.log; exit 1; }; \
	  grep "^Done" build/fuzz-$$door.log; \
	done
