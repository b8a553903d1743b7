// What the fuzz targets share: a property that does not hold stops the program.
#pragma once

#include <cstdint>
#include <cstdio>
#include <cstdlib>
#include <string>

inline void require(bool holds, const char* what) {
    if (holds) return;
    std::fprintf(stderr, "does not hold: %s\n", what);
    std::abort();
}

namespace mellow::fuzz {

/// How far the last input got, in a word: seeds lie in folders that are called so.
inline std::string outcome;

}  // namespace mellow::fuzz

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size);
