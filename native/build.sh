#!/usr/bin/env bash
# Builds the C shims over Debian's libraries, those that are missing or older than their source.
set -euo pipefail
cd "$(dirname "$0")"
mkdir -p build
# Compiler, source, package.
built() {
  local out="build/lib$(basename "${2%.*}").so"
  [ -f "$out" ] && [ ! "$2" -nt "$out" ] && return
  # shellcheck disable=SC2086
  $1 -O2 -shared -fPIC "$2" -o "build/tmp.$$.so" $(pkg-config --cflags --libs "$3")
  mv "build/tmp.$$.so" "$out"
}
built "g++ -std=c++17" plenk_exr.cpp OpenEXR
built "gcc -std=c11 -ffp-contract=off" plenk_ode.c ode
