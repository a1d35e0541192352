# Brave Bridge: `make demo` opens the demo fleet, `make test` proves the product.
PYTHON ?= python3
VENV   := .venv
BIN    := $(VENV)/bin
STAMP  := $(VENV)/.ready

# What the tests work on or with, beyond Python: installed only by root, on Debian-like machines.
TEST_PACKAGES := qemu-system-x86 ovmf systemd-boot-efi dosfstools mtools grub-pc-bin grub2-common fdisk tmux mmdebstrap btrfs-progs e2fsprogs xfsprogs gpgv dpkg apt util-linux rsync attr zstd rpm pacman-package-manager libvirt-clients libvirt-daemon dnf dnf-plugins-core createrepo-c strace

BUNDLE  := dist/brave-bridge
VERSION  = $(shell $(BIN)/python -c "import brave_bridge; print(brave_bridge.__version__)")

.PHONY: setup venv-package demo test lint bench rules test-packages bundle packages

# Compiled as an installed program is: also where Python is told to write no bytecode by itself.
setup: $(STAMP)
	@$(BIN)/python -m compileall -q src/brave_bridge

$(STAMP): pyproject.toml
	@$(PYTHON) -c "import ensurepip, venv" 2>/dev/null || $(MAKE) --no-print-directory venv-package
	@echo "Setting up a Python environment of its own in $(VENV): this takes a minute or two." >&2
	@$(PYTHON) -m venv $(VENV)
	@echo "Installing what the program is built on (pip) ..." >&2
	@$(BIN)/pip install --quiet --editable '.[dev]'
	@touch $(STAMP)

# Debian ships Python's venv module apart from Python.
venv-package:
	@if [ "$$(id -u)" = 0 ] && command -v apt-get >/dev/null; then \
	  apt-get update -qq && DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends python3-venv >/dev/null; \
	else echo "this Python has no venv module: install your system's python3-venv package" >&2; exit 1; fi

demo: setup
	@$(BIN)/brave-bridge demo

test-packages:
	@if [ "$$(id -u)" = 0 ] && command -v apt-get >/dev/null; then \
	  missing=""; \
	  for package in $(TEST_PACKAGES); do \
	    dpkg-query -W -f '$${db:Status-Status}' $$package 2>/dev/null | grep -q '^installed$$' || missing="$$missing $$package"; \
	  done; \
	  if [ -n "$$missing" ]; then \
	    echo "Installing what the tests work on:$$missing ..." >&2; \
	    apt-get update -qq && DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends $$missing >/dev/null; \
	  fi; \
	else echo "not root: tests on real system trees will be skipped, each with its reason"; fi

test: setup test-packages
	$(BIN)/pytest -n 2 --dist loadgroup --no-loadscope-reorder $(PYTEST_ARGS)

lint: setup
	$(BIN)/ruff check src tests bench
	$(BIN)/ruff format --check src tests bench
	$(BIN)/lint-imports
	$(BIN)/mypy

# One folder that runs on every release that we cross from, with nothing installed there.
bundle: setup
	$(BIN)/python -m brave_bridge.runner.own_runtime $(BUNDLE)

# The bundle as a .deb and an .rpm, each with /usr/bin/brave-bridge.
packages: bundle test-packages
	rm -rf dist/deb dist/rpm && mkdir -p dist/deb/DEBIAN dist/deb/usr/lib dist/deb/usr/bin dist/rpm
	cp -a $(BUNDLE) dist/deb/usr/lib/brave-bridge
	ln -s ../lib/brave-bridge/brave-bridge dist/deb/usr/bin/brave-bridge
	sed -e "s/@VERSION@/$(VERSION)/" -e "s/@ARCHITECTURE@/$$(dpkg --print-architecture)/" packaging/control >dist/deb/DEBIAN/control
	dpkg-deb --root-owner-group -Zgzip -z3 --build dist/deb dist
	rpmbuild --quiet -bb --define "_topdir $(CURDIR)/dist/rpm" --define "bundle $(CURDIR)/$(BUNDLE)" \
	  --define "bundle_version $(VERSION)" packaging/brave-bridge.spec
	mv dist/rpm/RPMS/*/*.rpm dist/ && rm -rf dist/deb dist/rpm

bench: setup test-packages
	$(BIN)/python -m bench

# The page of rules is made from the rules.
rules: setup
	$(BIN)/python -m brave_bridge.cli.rules_page > docs/rules.md
