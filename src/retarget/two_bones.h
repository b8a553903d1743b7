// Turns between directions, and a limb of two bones that reaches for a place.
#pragma once

#include "mellow/quat.h"

namespace mellow {

/// The least turn that brings the direction of `from` to that of `to`; none where one has no
/// length. Where they are opposite, half a turn about any axis square to them.
Quat swing(Vec3 from, Vec3 to);

/// The turn as an axis times an angle, at most half a turn.
Vec3 turn_vector(Quat turn);
/// The way back.
Quat turn_of(Vec3 vector);

/// How the two bones of a limb turn in the world, so that its end is at a place.
struct LimbTurns {
    Quat upper, lower;
    bool reached = true;
};

/// `top`, `middle`, `end`: where its joints are; `goal`: where the end shall be. The whole limb is
/// swung to the goal, then bent in the plane it lies in; with u and v the bones and d the way to
/// the goal, the middle is (u^2 - v^2 + d^2) / 2d along it. A limb that is straight bends towards
/// `ahead`.
LimbTurns reach_for(Vec3 top, Vec3 middle, Vec3 end, Vec3 goal, Vec3 ahead);

}  // namespace mellow
