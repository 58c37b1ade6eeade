#!/usr/bin/env bash
# Builds the C ABI over Debian's OpenEXR when it is missing or older than its source.
set -euo pipefail
cd "$(dirname "$0")"
if [ ! -f build/libplenk_exr.so ] || [ plenk_exr.cpp -nt build/libplenk_exr.so ]; then
  mkdir -p build
  g++ -O2 -std=c++17 -shared -fPIC plenk_exr.cpp -o "build/tmp.$$.so" $(pkg-config --cflags --libs OpenEXR)
  mv "build/tmp.$$.so" build/libplenk_exr.so
fi
