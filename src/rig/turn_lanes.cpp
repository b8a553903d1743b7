#include "rig/turn_lanes.h"

#include <numbers>

#include "base/kernel.h"
#include "math/arctangent.h"
#include "math/sincos.h"
#include "model/lanes.h"

namespace mellow {
namespace {

MELLOW_KERNEL void twist_parts(Quat before, TurnRows turns, Quat after, Vec3 axis, double* along,
                               double* rest) {
#pragma GCC ivdep
    for (int f = 0; f < kF; ++f) {
        const Quat q = (before * load(turns, f)) * after;
        const double a = dot(Vec3{q.x, q.y, q.z}, axis);
        // q and -q turn alike; with rest >= 0 twice the angle is at most half a turn.
        const double sign = q.w < 0 ? -1.0 : 1.0;
        const bool none = a * a + q.w * q.w < 1e-20;
        along[f] = none ? 0.0 : sign * a;
        rest[f] = none ? 1.0 : sign * q.w;
    }
}

MELLOW_KERNEL void swing_parts(Quat before, TurnRows turns, Vec3 axis, double* across,
                               double* along) {
#pragma GCC ivdep
    for (int f = 0; f < kF; ++f) {
        const Vec3 to = rotate(before * load(turns, f), axis);
        across[f] = length(cross(axis, to));
        along[f] = dot(axis, to);
    }
}

MELLOW_KERNEL void compose(Quat before, Vec3 axis, const double* sines, const double* cosines,
                           Quat after, TurnRowsOut turns) {
#pragma GCC ivdep
    for (int f = 0; f < kF; ++f) {
        const Vec3 v = axis * sines[f];
        store(turns, f, before * (Quat{v.x, v.y, v.z, cosines[f]} * after));
    }
}

}  // namespace

void twist_angles(Quat before, TurnRows turns, Quat after, Vec3 axis, double* angles) {
    alignas(64) double along[kTileFrames], rest[kTileFrames];
    twist_parts(before, turns, after, axis, along, rest);
    arctangent(along, rest, kTileFrames, angles);
    for (int f = 0; f < kF; ++f) angles[f] *= 2;
}

void swing_angles(Quat before, TurnRows turns, Vec3 axis, double* angles) {
    alignas(64) double across[kTileFrames], along[kTileFrames];
    swing_parts(before, turns, axis, across, along);
    arctangent(across, along, kTileFrames, angles);
}

void turn_about(Quat before, Vec3 axis, const double* angles, Quat after, TurnRowsOut turns) {
    alignas(64) double half[kTileFrames], sines[kTileFrames], cosines[kTileFrames];
    for (int f = 0; f < kF; ++f) half[f] = 0.5 * angles[f];
    sincos(half, kTileFrames, sines, cosines);
    compose(before, axis, sines, cosines, after, turns);
}

}  // namespace mellow
