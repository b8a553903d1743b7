#!/usr/bin/env bash
# Installs what is missing from Debian. The only place that lists packages.
# Usage: scripts/setup.sh run|test|package|check   (each includes the ones before it; package not test)
set -euo pipefail

run=(g++ cmake ninja-build pkg-config libeigen3-dev libfmt-dev libcli11-dev libsimdjson-dev
     rapidjson-dev libtomlplusplus-dev libtbb-dev libmeshoptimizer-dev libpugixml-dev libcairo2-dev libpng-dev libxxhash-dev
     fonts-dejavu-core libjs-three libjs-chart.js lowdown)
test=(nlohmann-json3-dev libgtest-dev libgmock-dev python3 chromium-headless-shell)
package=(dpkg-dev file)
check=(git clang-format clang llvm clang-tidy libbenchmark-dev nodejs npm python3-collada libxml2-utils
       slurm-wlm munge parallel)

case "${1:-}" in
  run) wanted=("${run[@]}") ;;
  test) wanted=("${run[@]}" "${test[@]}") ;;
  package) wanted=("${run[@]}" "${package[@]}") ;;
  check) wanted=("${run[@]}" "${test[@]}" "${package[@]}" "${check[@]}") ;;
  *) echo "usage: $0 run|test|package|check" >&2; exit 2 ;;
esac

# A program that is there, from wherever, counts as installed: its package is not forced on top.
have() {
  case "$1" in
    g++|cmake|git|python3|clang|clang-format|clang-tidy|npm) command -v "$1" >/dev/null && return ;;
    nodejs) command -v node >/dev/null && return ;;
    ninja-build) command -v ninja >/dev/null && return ;;
  esac
  [ "$(dpkg-query -W -f '${db:Status-Status}' "$1" 2>/dev/null)" = installed ]
}

missing=()
for package in "${wanted[@]}"; do have "$package" || missing+=("$package"); done
if [ "${#missing[@]}" -eq 0 ]; then
  echo "all ${#wanted[@]} packages are there"
  exit 0
fi

echo "installing ${#missing[@]} of ${#wanted[@]} packages: ${missing[*]}"
as_root=()
if [ "$(id -u)" -ne 0 ]; then
  if ! command -v sudo >/dev/null; then
    echo "not root, and no sudo: ask someone to run  apt-get install ${missing[*]}" >&2
    exit 1
  fi
  as_root=(sudo)
fi
# On a terminal apt shows how far it is; otherwise it only says what goes wrong.
quiet=(-qq)
out=/dev/null
[ -t 1 ] && quiet=() && out=/dev/tty
"${as_root[@]}" apt-get update "${quiet[@]}" >"$out"
"${as_root[@]}" env DEBIAN_FRONTEND=noninteractive apt-get install -y "${quiet[@]}" --no-install-recommends \
  "${missing[@]}" >"$out"
