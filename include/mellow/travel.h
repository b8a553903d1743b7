// Travel: the part of a clip's motion that belongs to the root joint.
//
// World poses never change: what the root takes on, the joints below it give up.
#pragma once

#include <string>

#include "mellow/clip.h"
#include "mellow/joint_source.h"
#include "mellow/result.h"
#include "mellow/skeleton.h"

namespace mellow {

/// Puts a root joint named `root` at the origin above all top joints, as joint 0 with an identity
/// rest pose. A skeleton whose only top joint has that name already is left as it is. Fails with
/// name-clash when another joint has the name.
Status add_root(Skeleton& skeleton, JointSources& sources, const std::string& root);

/// What the root carries. Nothing chosen: the root stays where it is.
struct TravelParts {
    bool ground = false;   ///< place on the ground plane, X and Z
    bool height = false;   ///< height above the first sample
    bool heading = false;  ///< turn about up
};

/// Moves the chosen parts of the motion of joint `hips` to joint 0 and fills clip.travel.
///
/// heading(k) is the twist about +Y of hips(k) * inverse(hips at rest), unwrapped;
/// place(k) = hips(k) on the ground minus the hips' rest place turned by heading(k);
/// height(k) = hips height(k) - hips height(0).
/// Afterwards root(k) == T(place, height) * Ry(heading) and each child c of the root has
/// local(k) == inverse(root(k)) * world(k), so that world poses stay within single-precision
/// rounding.
void extract_travel(Clip& clip, const Skeleton& skeleton, int hips, const TravelParts& parts);

/// How far the hips go while the root stays, metres; 0 where the root carries it.
struct HipsDrift {
    double ground_m = 0;    ///< from the first to the last sample, on the ground
    double farthest_m = 0;  ///< from the first sample to the farthest: circles come back
    double climb_m = 0;     ///< up or down from the first to the last sample
};
HipsDrift hips_drift(const Clip& clip, const Skeleton& skeleton, int hips);

}  // namespace mellow
