// Loading and storing one frame of a tile's channels as small values. Everything is inline and by
// value, so that a loop over frames becomes vector instructions.
#pragma once

#include "base/kernel.h"
#include "mellow/joint_tile.h"
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

/// Rows of one node or joint in a tile. What its numbers are is the type, so that locals where
/// worlds belong do not compile; `...Out` may be written as well.
struct WorldRows {  ///< a matrix: columns x, y, z and origin, three rows each
    const double* at;
};
struct WorldRowsOut {
    double* at;
    operator WorldRows() const { return {at}; }
};
struct TurnRows {  ///< a unit quaternion, x y z w
    const double* at;
};
struct TurnRowsOut {
    double* at;
    operator TurnRows() const { return {at}; }
};
struct LocalRows {  ///< relative to the parent: place 0-2, turn 3-6, size 7-9
    const double* at;
};
struct LocalRowsOut {
    double* at;
    operator LocalRows() const { return {at}; }
};

inline WorldRows world_rows(const PoseTile& tile, int node) {
    return {tile.channel(node, PoseTile::kWorld)};
}
inline WorldRowsOut world_rows(PoseTile& tile, int node) {
    return {tile.channel(node, PoseTile::kWorld)};
}
inline LocalRows local_rows(const PoseTile& tile, int node) {
    return {tile.channel(node, PoseTile::kLocal)};
}
inline LocalRowsOut local_rows(PoseTile& tile, int node) {
    return {tile.channel(node, PoseTile::kLocal)};
}
/// Of a joint, a mount.
inline WorldRows world_rows(const JointTile& tile, int joint) { return {tile.world(joint)}; }
inline WorldRows mount_rows(const JointTile& tile, int mount) { return {tile.mount(mount)}; }
inline LocalRows local_rows(const JointTile& tile, int joint) { return {tile.local(joint)}; }
/// Four scalars that hold the turn of a node in the world.
inline TurnRows turn_rows(const PoseTile& tile, int scalar) { return {tile.scalar(scalar)}; }

inline TurnRows turns(LocalRows rows) { return {rows.at + 3 * kF}; }
inline TurnRowsOut turns(LocalRowsOut rows) { return {rows.at + 3 * kF}; }

inline Affine load(WorldRows rows, int f) { return load_affine(rows.at, f); }
inline Vec3 origin(WorldRows rows, int f) { return load3(rows.at + 9 * kF, f); }
inline void store(WorldRowsOut rows, int f, const Affine& m) { store_affine(rows.at, f, m); }
inline Quat load(TurnRows rows, int f) { return load4(rows.at, f); }
inline void store(TurnRowsOut rows, int f, Quat q) { store4(rows.at, f, q); }
inline Vec3 place_of(LocalRows rows, int f) { return load3(rows.at, f); }
inline Vec3 size_of(LocalRows rows, int f) { return load3(rows.at + 7 * kF, f); }
inline Transform load(LocalRows rows, int f) {
    return {place_of(rows, f), load(turns(rows), f), size_of(rows, f)};
}
inline void store_place(LocalRowsOut rows, int f, Vec3 v) { store3(rows.at, f, v); }
inline void store_size(LocalRowsOut rows, int f, Vec3 v) { store3(rows.at + 7 * kF, f, v); }
inline void store(LocalRowsOut rows, int f, const Transform& t) {
    store_place(rows, f, t.t);
    store(turns(rows), f, t.r);
    store_size(rows, f, t.s);
}

/// The largest product of two axes of a matrix: 0 where they are at right angles.
MELLOW_LANE double skew_of(const Affine& m) {
    const double a = std::abs(dot(m.x, m.y)), b = std::abs(dot(m.y, m.z)),
                 c = std::abs(dot(m.z, m.x));
    const double most = a > b ? a : b;
    return most > c ? most : c;
}

/// orientation() (model/orientation.h) of a world matrix whose axes are at right angles, without
/// branches.
MELLOW_LANE Quat square_orientation(const Affine& m) {
    const double sign = determinant(m) < 0 ? -1.0 : 1.0;
    const Vec3 x = normalized(m.x * sign, {1, 0, 0});
    const Vec3 across = m.y * sign;
    const Vec3 y = normalized(across - dot(across, x) * x, {0, 1, 0});
    return quat_from_columns(x, y, cross(x, y));
}

}  // namespace mellow
