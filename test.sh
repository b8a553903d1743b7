#!/usr/bin/env bash
# Installs what is missing, builds with warnings as errors and passes every test.
set -euo pipefail
cd "$(dirname "$0")"
. scripts/steps.sh

configure() { cmake --preset dev >/dev/null; }

step "packages" scripts/setup.sh test
step "configure" configure
step "build" build --preset dev
step "tests" ctest --preset dev
steps_done
