#include "mellow/quat.h"

#include <algorithm>
#include <numbers>

namespace mellow {

Quat from_axis_angle(Vec3 axis, double angle_rad) {
    const double h = 0.5 * angle_rad, s = std::sin(h);
    return {axis.x * s, axis.y * s, axis.z * s, std::cos(h)};
}

Quat slerp(Quat a, Quat b, double u) {
    double d = dot(a, b);
    const double sign = d < 0 ? -1.0 : 1.0;
    d = std::min(std::abs(d), 1.0);
    double ka = 1 - u, kb = u;
    if (d < 1 - 1e-12) {
        const double angle = std::acos(d), k = 1 / std::sin(angle);
        ka = std::sin((1 - u) * angle) * k;
        kb = std::sin(u * angle) * k;
    }
    kb *= sign;
    return normalized(
        Quat{a.x * ka + b.x * kb, a.y * ka + b.y * kb, a.z * ka + b.z * kb, a.w * ka + b.w * kb});
}

double angle_between(Quat a, Quat b) {
    const Quat d = conjugate(a) * b;
    return 2 * std::atan2(length({d.x, d.y, d.z}), std::abs(d.w));
}

double twist_angle(Quat q, Vec3 axis) {
    const double along = dot(Vec3{q.x, q.y, q.z}, axis);
    if (along * along + q.w * q.w < 1e-20) return 0;
    double angle = 2 * std::atan2(along, q.w);
    if (angle > std::numbers::pi) angle -= 2 * std::numbers::pi;
    if (angle <= -std::numbers::pi) angle += 2 * std::numbers::pi;
    return angle;
}

double swing_angle(Quat q, Vec3 axis) {
    const Vec3 to = rotate(q, axis);
    return std::atan2(length(cross(axis, to)), dot(axis, to));
}

}  // namespace mellow
