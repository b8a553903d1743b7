// Loading and storing one frame of a tile's channels as small values. Everything is inline and by
// value, so that a loop over frames becomes vector instructions.
#pragma once

#include "base/kernel.h"
#include "mellow/pose_tile.h"

namespace mellow {

inline constexpr int kF = kTileFrames;

inline Vec3 load3(const double* c, int f) { return {c[f], c[kF + f], c[2 * kF + f]}; }
inline Quat load4(const double* c, int f) {
    return {c[f], c[kF + f], c[2 * kF + f], c[3 * kF + f]};
}
inline Affine load_affine(const double* c, int f) {
    return {load3(c, f), load3(c + 3 * kF, f), load3(c + 6 * kF, f), load3(c + 9 * kF, f)};
}
inline void store3(double* c, int f, Vec3 v) { c[f] = v.x, c[kF + f] = v.y, c[2 * kF + f] = v.z; }
inline void store4(double* c, int f, Quat q) {
    c[f] = q.x, c[kF + f] = q.y, c[2 * kF + f] = q.z, c[3 * kF + f] = q.w;
}
inline void store_affine(double* c, int f, const Affine& m) {
    store3(c, f, m.x), store3(c + 3 * kF, f, m.y), store3(c + 6 * kF, f, m.z);
    store3(c + 9 * kF, f, m.o);
}

/// Orientation of a world matrix without branches: the first two axes made orthonormal, the third
/// their cross product. Exact without shear; a mirrored matrix gives the unmirrored orientation.
MELLOW_LANE Quat orientation(const Affine& m) {
    const Vec3 x = normalized(m.x, {1, 0, 0});
    const Vec3 y = normalized(m.y - dot(m.y, x) * x, {0, 1, 0});
    return quat_from_columns(x, y, cross(x, y));
}

}  // namespace mellow
