#include "retarget/two_bones.h"

#include <algorithm>
#include <cmath>

namespace mellow {

Quat swing(Vec3 from, Vec3 to) {
    const double lengths = length(from) * length(to);
    if (!(lengths > 1e-18)) return {};
    const double cosine = dot(from, to) / lengths;
    if (cosine < -1 + 1e-12) {
        const Vec3 any = std::abs(from.x) < 0.6 * length(from) ? Vec3{1, 0, 0} : Vec3{0, 1, 0};
        const Vec3 axis = normalized(cross(from, any), {0, 0, 1});
        return {axis.x, axis.y, axis.z, 0};
    }
    const Vec3 axis = cross(from, to);
    return normalized(Quat{axis.x, axis.y, axis.z, lengths + dot(from, to)});
}

Vec3 turn_vector(Quat turn) {
    if (turn.w < 0) turn = -turn;
    const Vec3 v{turn.x, turn.y, turn.z};
    const double sine = length(v);
    return sine > 1e-15 ? v * (2 * std::atan2(sine, turn.w) / sine) : v * 2;
}

Quat turn_of(Vec3 vector) {
    const double angle = length(vector);
    if (angle < 1e-12) return normalized(Quat{vector.x / 2, vector.y / 2, vector.z / 2, 1});
    const double k = std::sin(angle / 2) / angle;
    return {vector.x * k, vector.y * k, vector.z * k, std::cos(angle / 2)};
}

LimbTurns reach_for(Vec3 top, Vec3 middle, Vec3 end, Vec3 goal, Vec3 ahead) {
    LimbTurns out;
    const double u = length(middle - top), v = length(end - middle), far = length(goal - top);
    const Quat whole = swing(end - top, goal - top);
    out.reached = far <= u + v + 1e-9 && far >= std::abs(u - v) - 1e-9;
    const double d = std::clamp(far, std::max(std::abs(u - v), 1e-9), u + v);
    const Vec3 along = normalized(goal - top, {0, -1, 0});
    const Vec3 knee = rotate(whole, middle - top);
    Vec3 side = knee - along * dot(knee, along);
    if (length(side) < 1e-9 * (u + v)) {
        ahead = rotate(whole, ahead);
        side = ahead - along * dot(ahead, along);
    }
    side = normalized(side, {0, 0, 1});
    const double x = (u * u - v * v + d * d) / (2 * d);
    const double h = std::sqrt(std::max(0.0, u * u - x * x));
    const Vec3 bent = along * x + side * h;  // of the middle, from the top
    const Vec3 tip = along * d;
    out.upper = swing(knee, bent) * whole;
    const Vec3 lower = rotate(whole, end - middle);
    out.lower = swing(lower, tip - bent) * whole;
    return out;
}

}  // namespace mellow
