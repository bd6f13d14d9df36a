#!/usr/bin/env bash
# Builds the portable program with the Windows Python of .venv-windows.
set -euo pipefail
cd "$(dirname "$0")/../.."
[ -e .venv-windows/ready ] || exit 0
export WINEPREFIX=$PWD/.venv-windows/prefix WINEDEBUG=-all
# the standard streams of a Windows Python under Wine have to be pipes
true | wine .venv-windows/python/cp311/python.exe portable/build.py 2>&1 | cat
test -s dist/tallcheck.exe
