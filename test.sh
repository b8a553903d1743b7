#!/usr/bin/env bash
# Installs what is missing, builds with warnings as errors and passes every test.
set -euo pipefail
cd "$(dirname "$0")"
scripts/setup.sh test
cmake --preset dev >/dev/null
cmake --build --preset dev | tail -n 1
ctest --preset dev
