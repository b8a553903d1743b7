// Quat: a rotation as a unit quaternion, Hamilton product, stored x y z w.
//
// rotate(q, v) == q * v * conjugate(q), and rotate(a * b, v) == rotate(a, rotate(b, v)).
// q and -q turn alike; angle_between() treats them as equal, and nearest() picks the sign that
// keeps a track on one hemisphere. Angles are radians. Identity until set.
#pragma once

#include "mellow/vec3.h"

namespace mellow {

/// A quaternion, x y z w; a turn where its length is 1.
struct Quat {
    double x = 0, y = 0, z = 0, w = 1;
};

inline Quat operator-(Quat q) { return {-q.x, -q.y, -q.z, -q.w}; }
inline double dot(Quat a, Quat b) { return a.x * b.x + a.y * b.y + a.z * b.z + a.w * b.w; }

inline Quat operator*(Quat a, Quat b) {
    return {a.w * b.x + a.x * b.w + a.y * b.z - a.z * b.y,
            a.w * b.y - a.x * b.z + a.y * b.w + a.z * b.x,
            a.w * b.z + a.x * b.y - a.y * b.x + a.z * b.w,
            a.w * b.w - a.x * b.x - a.y * b.y - a.z * b.z};
}
inline Quat conjugate(Quat q) { return {-q.x, -q.y, -q.z, q.w}; }

/// `q` at length 1; the identity when `q` has no length to speak of.
inline Quat normalized(Quat q) {
    const double n2 = dot(q, q);
    const double k = n2 > 1e-24 ? 1.0 / std::sqrt(n2) : 0.0;
    return {q.x * k, q.y * k, q.z * k, n2 > 1e-24 ? q.w * k : 1.0};
}

inline Vec3 rotate(Quat q, Vec3 v) {
    const Vec3 u{q.x, q.y, q.z};
    const Vec3 t = 2.0 * cross(u, v);
    return v + q.w * t + cross(u, t);
}

/// The sign of `q` that lies on the hemisphere of `reference`.
inline Quat nearest(Quat q, Quat reference) { return dot(q, reference) < 0 ? -q : q; }

/// Turn by `angle_rad` about the unit vector `axis`, counter-clockwise seen from its tip.
Quat from_axis_angle(Vec3 axis, double angle_rad);

/// Shortest-way spherical interpolation, u in [0, 1]; glTF 2.0 specification, appendix C.4.
Quat slerp(Quat a, Quat b, double u);

/// Angle of the turn that leads from `a` to `b`, in [0, pi].
double angle_between(Quat a, Quat b);

/// The rotation whose matrix has the orthonormal right-handed columns x, y, z.
/// Ken Shoemake, "Quaternion Calculus and Fast Animation", 1987: the largest of the four squared
/// members is taken first, so that no division is by a small number.
inline Quat quat_from_columns(Vec3 x, Vec3 y, Vec3 z) {
    const double ww = 1 + x.x + y.y + z.z, xx = 1 + x.x - y.y - z.z;
    const double yy = 1 - x.x + y.y - z.z, zz = 1 - x.x - y.y + z.z;
    const double a = y.z - z.y, b = z.x - x.z, c = x.y - y.x;
    const double d = x.y + y.x, e = z.x + x.z, f = y.z + z.y;
    const bool use_w = ww >= xx && ww >= yy && ww >= zz;
    const bool use_x = xx >= yy && xx >= zz;
    const bool use_y = yy >= zz;
    const Quat q{use_w   ? a
                 : use_x ? xx
                 : use_y ? d
                         : e,
                 use_w   ? b
                 : use_x ? d
                 : use_y ? yy
                         : f,
                 use_w   ? c
                 : use_x ? e
                 : use_y ? f
                         : zz,
                 use_w   ? ww
                 : use_x ? a
                 : use_y ? b
                         : c};
    return normalized(q);
}

/// Turn about `axis` left in `q` when everything else is taken out, in (-pi, pi].
/// q == swing * twist with twist about `axis` (unit). A swing of exactly half a turn leaves the
/// twist undefined; 0 is returned there.
double twist_angle(Quat q, Vec3 axis);
/// Turn that moves `axis` itself: angle between `axis` and rotate(q, axis), in [0, pi].
double swing_angle(Quat q, Vec3 axis);

}  // namespace mellow
