// Turning rows of small vectors over: [item][number] to [number][item] and back, four at a time,
// in registers. The vector types are those of GCC and Clang.
#pragma once

#include <cstring>

#include "base/kernel.h"

namespace mellow {

using Float4v = float __attribute__((vector_size(16)));
using Double4v = double __attribute__((vector_size(32)));

MELLOW_LANE Float4v load_float4(const float* from) {
    Float4v v;
    std::memcpy(&v, from, sizeof v);
    return v;
}
MELLOW_LANE void store_float4(Float4v v, float* to) { std::memcpy(to, &v, sizeof v); }

/// Four items of four numbers: rows become columns.
MELLOW_LANE void turn_4x4(Float4v& a, Float4v& b, Float4v& c, Float4v& d) {
    const Float4v ab0 = __builtin_shufflevector(a, b, 0, 4, 1, 5),
                  ab2 = __builtin_shufflevector(a, b, 2, 6, 3, 7),
                  cd0 = __builtin_shufflevector(c, d, 0, 4, 1, 5),
                  cd2 = __builtin_shufflevector(c, d, 2, 6, 3, 7);
    a = __builtin_shufflevector(ab0, cd0, 0, 1, 4, 5);
    b = __builtin_shufflevector(ab0, cd0, 2, 3, 6, 7);
    c = __builtin_shufflevector(ab2, cd2, 0, 1, 4, 5);
    d = __builtin_shufflevector(ab2, cd2, 2, 3, 6, 7);
}

/// Twelve numbers, four items of three (x0 y0 z0 x1 | y1 z1 x2 y2 | z2 x3 y3 z3), to xxxx yyyy
/// zzzz.
MELLOW_LANE void turn_items_of_3(Float4v& a, Float4v& b, Float4v& c) {
    const Float4v ab = __builtin_shufflevector(a, b, 0, 3, 6, 6),  // x0 x1 x2
        yb = __builtin_shufflevector(a, b, 1, 4, 7, 7),            // y0 y1 y2
        zb = __builtin_shufflevector(a, b, 2, 5, 5, 5);            // z0 z1
    const Float4v x = __builtin_shufflevector(ab, c, 0, 1, 2, 5),
                  y = __builtin_shufflevector(yb, c, 0, 1, 2, 6),
                  z = __builtin_shufflevector(zb, c, 0, 1, 4, 7);
    a = x, b = y, c = z;
}
/// The way back: xxxx yyyy zzzz to four items of three.
MELLOW_LANE void turn_rows_of_3(Float4v& x, Float4v& y, Float4v& z) {
    const Float4v xy = __builtin_shufflevector(x, y, 0, 4, 1, 5),  // x0 y0 x1 y1
        yz = __builtin_shufflevector(y, z, 1, 5, 2, 6),            // y1 z1 y2 z2
        zx = __builtin_shufflevector(z, x, 2, 7, 3, 0);            // z2 x3 z3 -
    const Float4v a = __builtin_shufflevector(__builtin_shufflevector(xy, z, 0, 1, 4, 2), x, 0, 1,
                                              2, 3),  // x0 y0 z0 x1
        b = __builtin_shufflevector(__builtin_shufflevector(yz, x, 0, 1, 6, 2), y, 0, 1, 2,
                                    3),                  // y1 z1 x2 y2
        c = __builtin_shufflevector(zx, y, 0, 1, 7, 2);  // z2 x3 y3 z3
    x = a, y = b, z = c;
}

MELLOW_LANE void widen(Float4v v, double* to) {
    const Double4v d = __builtin_convertvector(v, Double4v);
    std::memcpy(to, &d, sizeof d);
}

}  // namespace mellow
