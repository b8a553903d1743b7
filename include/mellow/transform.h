// Transform (translation, rotation, scale) and Affine (three columns and an origin). Metres and
// unit quaternions where a scene is inside; plain numbers everywhere else. All of it is inline and
// by value, so that loops over frames become vector instructions.
//
// The identities that hold everywhere in the library:
//   local == T * R * S                          a Transform is applied scale first
//   world[n] == world[parent[n]] * local[n]     column vectors
// An Affine can hold shear, a Transform cannot; decompose() says how much it had to leave out.
#pragma once

#include <algorithm>
#include <cmath>

#include "mellow/quat.h"

namespace mellow {

/// p' = t + rotate(r, s * p). Identity until set.
struct Transform {
    Vec3 t;
    Quat r;
    Vec3 s{1, 1, 1};
};

/// p' = x * p.x + y * p.y + z * p.z + o. Identity until set.
struct Affine {
    Vec3 x{1, 0, 0}, y{0, 1, 0}, z{0, 0, 1}, o{};
};

inline Vec3 apply_linear(const Affine& m, Vec3 v) { return m.x * v.x + m.y * v.y + m.z * v.z; }
inline Vec3 apply(const Affine& m, Vec3 p) { return apply_linear(m, p) + m.o; }
inline Affine operator*(const Affine& a, const Affine& b) {
    return {apply_linear(a, b.x), apply_linear(a, b.y), apply_linear(a, b.z), apply(a, b.o)};
}
inline double determinant(const Affine& m) { return dot(cross(m.x, m.y), m.z); }

inline Affine to_affine(const Transform& t) {
    const Quat& q = t.r;
    const double xx = q.x * q.x, yy = q.y * q.y, zz = q.z * q.z;
    const double xy = q.x * q.y, xz = q.x * q.z, yz = q.y * q.z;
    const double wx = q.w * q.x, wy = q.w * q.y, wz = q.w * q.z;
    return {Vec3{1 - 2 * (yy + zz), 2 * (xy + wz), 2 * (xz - wy)} * t.s.x,
            Vec3{2 * (xy - wz), 1 - 2 * (xx + zz), 2 * (yz + wx)} * t.s.y,
            Vec3{2 * (xz + wy), 2 * (yz - wx), 1 - 2 * (xx + yy)} * t.s.z, t.t};
}

/// The inverse. A singular matrix (zero scale) gives the inverse with the lost directions set to
/// zero, so that the result is finite: inverse(m) * m is then a projection.
inline Affine inverse(const Affine& m) {
    const Vec3 a = cross(m.y, m.z), b = cross(m.z, m.x), c = cross(m.x, m.y);
    const double det = dot(a, m.x);
    const double k = det * det > 1e-60 ? 1.0 / (det * det > 1e-60 ? det : 1.0) : 0.0;
    const Affine rows{
        Vec3{a.x, b.x, c.x} * k, Vec3{a.y, b.y, c.y} * k, Vec3{a.z, b.z, c.z} * k, {}};
    return {rows.x, rows.y, rows.z, -apply_linear(rows, m.o)};
}

/// A Transform and what it could not hold.
struct Decomposed {
    Transform transform;
    double shear = 0;  ///< largest member of |m - to_affine(transform)| over the linear part
};

/// Splits an affine matrix into translation, rotation and scale.
/// Without shear to_affine(result.transform) == m within rounding. With shear the rotation is the
/// polar one, nearest to the matrix in the least-squares sense (Nicholas Higham, "Computing the
/// Polar Decomposition", 1986), and the scale is the diagonal of what remains. A mirrored matrix
/// (determinant below 0) gets all three scales negated; a column of zero length gets scale 0 and an
/// axis that completes the others.
Decomposed decompose(const Affine& m);

/// What `t` lacks to be the linear part of `m`: m == to_affine(t) * shear, but for the origin. The
/// identity where t is nearest to m and m has no shear, and where t flattens.
Affine shear_of(const Affine& m, const Transform& t);

/// True for a matrix that leaves next to no volume: what it flattens has no orientation.
inline bool is_flat(const Affine& m) {
    const double size = std::max({length(m.x), length(m.y), length(m.z)});
    return !(size > 1e-6) || !(std::abs(determinant(m)) > 1e-6 * size * size * size);
}

/// How much the lengths of the axes of two matrices differ, at most, relative to the longer of the
/// two; what is shorter than 1e-6 counts as that long.
inline double scale_apart(const Affine& a, const Affine& b) {
    const auto of = [](const Vec3& u, const Vec3& v) {
        const double x = length(u), y = length(v);
        return std::abs(x - y) / std::max({x, y, 1e-6});
    };
    return std::max({of(a.x, b.x), of(a.y, b.y), of(a.z, b.z)});
}

/// Rotation of an affine matrix, its scale and shear taken out; see decompose().
Quat rotation_of(const Affine& m);

}  // namespace mellow
