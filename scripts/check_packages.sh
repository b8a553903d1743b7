#!/usr/bin/env bash
# Builds the Debian packages and tries them in an empty Debian root: the tool, its manual pages and completion, and a
# project that only has the development package. Needs root.
# Usage: scripts/check_packages.sh [ROOT]   (an empty root made by debootstrap before; else one is made)
set -euo pipefail
cd "$(dirname "$0")/.."
. scripts/steps.sh
work=$(mktemp -d)
root=$work/root
trap 'umount "$root/proc" 2>/dev/null || true; rm -rf "$work"' EXIT

install_tools() {
  scripts/setup.sh package
  command -v debootstrap >/dev/null || apt-get install -y -qq --no-install-recommends debootstrap >/dev/null
}

make_packages() {
  cmake --preset release -DMELLOW_BENCH=OFF -DMELLOW_TESTS=OFF -DMELLOW_EXAMPLES=OFF -B build/package >/dev/null
  build build/package
  (cd build/package && rm -f ./*.deb && cpack >cpack.log || { cat cpack.log; exit 1; })
  ls -l build/package/*.deb
}

make_root() {
  if [ $# -gt 0 ]; then cp -a "$1" "$root"; else debootstrap --variant=minbase bookworm "$root" >"$work/log" 2>&1 || { tail "$work/log"; exit 1; }; fi
  cp /etc/apt/apt.conf.d/* "$root/etc/apt/apt.conf.d/" 2>/dev/null || true
  mount -t proc proc "$root/proc"
  cp build/package/*.deb "$root/srv/"
  cp -r tests/consumer "$root/srv/consumer"
}

inside() { chroot "$root" env DEBIAN_FRONTEND=noninteractive PATH=/usr/sbin:/usr/bin:/sbin:/bin HOME=/root bash -ec "$1"; }

try_tool() {
  inside 'apt-get update -qq && apt-get install -y -qq --no-install-recommends /srv/mellow-crate_*.deb >/dev/null 2>&1
    mellow --version
    mellow demo /srv/orchard | grep -E "PASSED|FAILED"
    for page in man1/mellow.1 $(mellow complete "" | cut -f1 | grep -v help | sed "s|.*|man1/mellow-&.1|") man5/mellow-recipe.5 man5/mellow-rig-sheet.5 man7/mellow-findings.7; do
      test -s "/usr/share/man/$page" || test -s "/usr/share/man/$page.gz"; done
    test -s /usr/share/zsh/vendor-completions/_mellow; test -s /usr/share/fish/vendor_completions.d/mellow.fish
    test -s /usr/share/doc/mellow-crate/copyright
    compopt() { :; }; . /usr/share/bash-completion/completions/mellow
    COMP_WORDS=(mellow pa); COMP_CWORD=1; _mellow; test "${COMPREPLY[*]}" = pack'
}

try_development() {
  inside 'apt-get install -y -qq --no-install-recommends g++ cmake ninja-build /srv/libmellow-crate-dev_*.deb >/dev/null 2>&1
    cmake -G Ninja -DCONSUMER_COMPONENTS=core -S /srv/consumer -B /srv/core >/dev/null && cmake --build /srv/core >/dev/null && /srv/core/consumer
    echo "find_package(MellowCrate COMPONENTS core) works with what the package depends on"
    apt-get install -y -qq --no-install-recommends pkg-config libsimdjson-dev libmeshoptimizer-dev libpugixml-dev libcairo2-dev libpng-dev libxxhash-dev >/dev/null 2>&1
    cmake -G Ninja -S /srv/consumer -B /srv/io >/dev/null && cmake --build /srv/io >/dev/null && /srv/io/consumer
    g++ -std=c++20 /srv/consumer/main.cpp -o /srv/by_pc $(pkg-config --cflags --libs mellow-crate) && /srv/by_pc
    echo "find_package(MellowCrate) and pkg-config work with what it recommends"'
}

step "packages" install_tools
step "build" make_packages
step "an empty root" make_root "$@"
step "the tool in it" try_tool
step "the development package in it" try_development
steps_done
