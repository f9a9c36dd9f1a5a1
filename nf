#!/bin/sh
# One command to start (./nf demo) and one to prove (./nf test); both set up what they need on a fresh Debian-like machine.
set -eu
cd "$(dirname "$0")"

as_root() {
  if [ "$(id -u)" = 0 ]; then "$@"; elif command -v sudo >/dev/null 2>&1; then sudo "$@"; else return 1; fi
}

apt_install() {
  command -v apt-get >/dev/null 2>&1 || return 1
  as_root apt-get update -q >/dev/null && as_root env DEBIAN_FRONTEND=noninteractive apt-get install -y -q --no-install-recommends "$@" >/dev/null
}

set_up() {
  command -v python3 >/dev/null 2>&1 || apt_install python3
  if [ ! -x .venv/bin/python ] || ! .venv/bin/python -m pip --version >/dev/null 2>&1; then
    rm -rf .venv
    python3 -m venv .venv 2>/dev/null || { rm -rf .venv; apt_install python3-venv && python3 -m venv .venv; }
  fi
  if [ ! -f .venv/installed ] || [ pyproject.toml -nt .venv/installed ] || [ constraints.txt -nt .venv/installed ]; then
    echo "Setting up Northfell: installing its packages into .venv"
    .venv/bin/python -m pip install -q --disable-pip-version-check -c constraints.txt -e '.[dev]'
    touch .venv/installed
  fi
}

need_browser() {
  if command -v chromium >/dev/null 2>&1 && command -v chromedriver >/dev/null 2>&1; then return 0; fi
  echo "Setting up Northfell: installing Chromium for the browser tests"
  apt_install chromium chromium-driver || echo "Chromium and ChromeDriver could not be installed: the browser tests need them."
}

case "${1:-}" in
  demo | serve | run | check | convert | schema | labels | user | backup | restore)
    set_up
    exec .venv/bin/northfell "$@" ;;
  test)
    shift
    set_up
    need_browser
    .venv/bin/ruff check .
    .venv/bin/ruff format --check .
    .venv/bin/oxlint --deny-warnings src/northfell/web/static/js
    .venv/bin/mypy
    if [ $# -gt 0 ]; then exec .venv/bin/python -m pytest "$@"; fi
    failed=0
    .venv/bin/python -m pytest -m "not browser" --numprocesses auto || failed=1
    .venv/bin/python -m pytest -m browser || failed=1  # one after the other: they share the machine with an application and a browser
    exit $failed ;;
  quick)
    set_up
    exec .venv/bin/python -m tools.quick ;;
  coverage)
    set_up
    .venv/bin/coverage run -m pytest -m "not browser"
    exec .venv/bin/coverage report --skip-covered --sort=cover ;;
  mutate)
    shift
    set_up
    exec .venv/bin/python -m tools.mutate "$@" ;;
  hooks)
    set_up
    exec .venv/bin/pre-commit install ;;
  bench)
    set_up
    .venv/bin/python -m benchmarks.run
    .venv/bin/python -m benchmarks.load_flow 10000
    .venv/bin/python -m benchmarks.arc_flash
    .venv/bin/python -m benchmarks.coordination
    .venv/bin/python -m benchmarks.sizing
    .venv/bin/python -m benchmarks.by_phase
    .venv/bin/python -m benchmarks.sheet
    .venv/bin/python -m benchmarks.tables
    if command -v chromium > /dev/null; then .venv/bin/python -m benchmarks.browser; fi
    exec .venv/bin/python -m benchmarks.attack 20 10 1000 ;;
  *)
    echo "usage: ./nf demo | test | quick | coverage | mutate | hooks | bench | serve | run | check | convert | schema | labels | user | backup | restore" >&2
    exit 64 ;;
esac
