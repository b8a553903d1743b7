// Angles and turns of a whole tile at once.
#pragma once

#include "mellow/quat.h"
#include "model/lanes.h"

namespace mellow {

/// angles[f] == twist_angle(before * turns[f] * after, axis) for kTileFrames quaternions in rows;
/// radians.
void twist_angles(Quat before, TurnRows turns, Quat after, Vec3 axis, double* angles);
/// angles[f] == swing_angle(before * turns[f], axis).
void swing_angles(Quat before, TurnRows turns, Vec3 axis, double* angles);
/// turns[f] = before * from_axis_angle(axis, angles[f]) * after.
void turn_about(Quat before, Vec3 axis, const double* angles, Quat after, TurnRowsOut turns);

}  // namespace mellow
