// The ground frame of a joint; declared as Align in shaping.h.
#pragma once

#include "mellow/transform.h"

namespace mellow {

/// Twist about up of `world` * inverse(`rest`), radians; 0 where the pose hides it.
inline double heading_of(const Affine& world, const Quat& rest) {
    const Quat turn = rotation_of(world) * conjugate(rest);
    return turn.y * turn.y + turn.w * turn.w > 1e-6 ? twist_angle(turn, {0, 1, 0}) : 0;
}

inline Transform ground_frame_of(const Affine& world, const Affine& rest, const Quat& rest_turn,
                                 bool ground, bool heading, bool height) {
    Transform out;
    if (heading) out.r = from_axis_angle({0, 1, 0}, heading_of(world, rest_turn));
    const Vec3 from = rotate(out.r, {rest.o.x, 0, rest.o.z});
    if (ground) out.t = {world.o.x - from.x, 0, world.o.z - from.z};
    if (height) out.t.y = world.o.y;
    return out;
}

/// Of turns and shifts without size: a * b and its inverse.
inline Transform after(const Transform& a, const Transform& b) {
    return {a.t + rotate(a.r, b.t), normalized(a.r * b.r), {1, 1, 1}};
}
inline Transform back(const Transform& a) {
    const Quat r = conjugate(a.r);
    return {Vec3{} - rotate(r, a.t), r, {1, 1, 1}};
}

}  // namespace mellow
