// What the fuzz targets share: a property that does not hold stops the program.
#pragma once

#include <cstdint>
#include <cstdio>
#include <cstdlib>

inline void require(bool holds, const char* what) {
    if (holds) return;
    std::fprintf(stderr, "does not hold: %s\n", what);
    std::abort();
}

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size);
