#!/usr/bin/env bash
# Installs what is missing, builds, makes the demo data and runs the whole job on it.
# Usage: ./demo.sh [FOLDER]   (default: demo-out; an earlier crate there is kept as a backup)
set -euo pipefail
top=$(cd "$(dirname "$0")" && pwd)
folder=${1:-$top/demo-out}
"$top/scripts/setup.sh" run
cd "$top"
cmake --preset release -DMELLOW_BENCH=OFF -DMELLOW_TESTS=OFF -DMELLOW_EXAMPLES=OFF -B build/demo >/dev/null
cmake --build build/demo --target mellow | tail -n 1
cd - >/dev/null
"$top/build/demo/mellow" demo --replace "$folder"
echo
echo "Look at $folder/crates/tamsin/sheet.png, and at crate.json and report.txt beside it."
