// A map looked up in two skeletons: for each joint of the figure, which turns of the motion it has.
#pragma once

#include <array>
#include <string>
#include <vector>

#include "mellow/retarget.h"

namespace mellow {

/// How the world turn of a figure's joint comes about: slerp(D[a], D[b], share) * align * rest,
/// with D the world turns of the motion's joints since their rest. Without `a` it rides on its
/// parent.
struct CarriedJoint {
    int a = -1, b = -1;
    double share = 0;
    Quat align;          ///< of the limb laid into the motion's rest directions
    Quat extra;          ///< a turn at rest that the map asks for
    bool place = false;  ///< its place is the motion's, scaled: hips and root
};

/// Joints of a leg or an arm in both; kNone for those that are missing.
struct CarriedLimb {
    int thigh = -1, shin = -1, foot = -1, toe = -1;  ///< or upper arm, forearm and hand
    int its_thigh = -1, its_shin = -1, its_foot = -1, its_toe = -1;
    double length = 0, its_length = 0;  ///< of both bones, metres

    bool whole() const { return foot >= 0 && its_foot >= 0; }
};

struct BoundMap {
    std::vector<CarriedJoint> joints;  ///< of the figure
    int hips = -1, its_hips = -1, root = -1, its_root = -1;
    std::array<CarriedLimb, 2> legs, arms;
    std::vector<Vec3> its_rest, own_rest;  ///< world places at rest
    Vec3 ahead{0, 0, 1};                   ///< what the motion's body faces at rest
    std::vector<bool> paired;  ///< joints of the motion that something follows, or that are ignored
};

/// Looks all names up and lays limbs into one another's rest directions.
Result<BoundMap> bind_map(const Skeleton& motion, const Skeleton& figure, const FigureMap& map);

}  // namespace mellow
