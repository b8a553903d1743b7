#!/bin/sh
# by_clang.sh CLANG GXX ARGUMENT...: compiles with clang what was to be compiled with g++.
clang=$1
shift 2
exec "$clang" -Wno-unknown-warning-option "$@"
