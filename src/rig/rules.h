// The bound rules: indices and constants in place of names, and their kernels over a tile. One .cpp
// file per rule.
#pragma once

#include <vector>

#include "mellow/pose_tile.h"
#include "mellow/result.h"
#include "mellow/rig_sheet.h"
#include "mellow/scene.h"

namespace mellow {

struct BoundFollow {
    int node, source, parent;
    bool position, orientation, scale;
    Vec3 offset_position;     ///< of the node, in the source's space
    Quat offset_orientation;  ///< conj(orientation(source)) * orientation(node), in the rest pose
    Vec3 offset_scale;
};
BoundFollow bind_follow(const FollowRule& rule, int node, int source, const Scene& scene,
                        const std::vector<Affine>& rest);
void run(const BoundFollow& rule, PoseTile& tile);

struct BoundLimb {
    int start, mid, end, goal, pole, parent;
    bool end_follows_goal;
    Vec3 bone1, bone2;    ///< unit bone directions, in the rest axes of start and of mid
    Vec3 hinge1, hinge2;  ///< bend axis in the axes of start and of mid, unit, across the bones
    Quat offset;          ///< conj(orientation(goal)) * orientation(end), in the rest pose
};
Result<BoundLimb> bind_limb(const LimbRule& rule, const std::string& where, const int (&nodes)[5],
                            const Scene& scene, const std::vector<Affine>& rest);
void run(const BoundLimb& rule, PoseTile& tile);

struct BoundDrive {
    int joint, scalar;
    bool twist, smooth;
    Vec3 axis;
    Quat rest;
    std::vector<CurvePoint> curve;
};
void run(const BoundDrive& rule, PoseTile& tile);

}  // namespace mellow
