#!/usr/bin/env bash
# Installs what is missing, builds, makes the demo data and runs the whole job on it.
# Usage: ./demo.sh [FOLDER]   (default: demo-out; an earlier crate there is kept as a backup)
set -euo pipefail
top=$(cd "$(dirname "$0")" && pwd)
folder=${1:-$top/demo-out}
. "$top/scripts/steps.sh"

configure() {
  cmake -S "$top" --preset release -DMELLOW_BENCH=OFF -DMELLOW_TESTS=OFF -DMELLOW_EXAMPLES=OFF -DMELLOW_WARNINGS_AS_ERRORS=OFF -B "$top/build/demo" >/dev/null
}

step "packages" "$top/scripts/setup.sh" run
step "configure" configure
step "build" build "$top/build/demo" --target mellow manuals  # so that cmake --install has all it brings
step "demo" "$top/build/demo/mellow" demo --replace "$folder"
steps_done
echo
echo "Look at $folder/crates/tamsin/sheet.png, and at crate.json and report.txt beside it."
echo "The tool is $top/build/demo/mellow: 'mellow help' lists what it does."
