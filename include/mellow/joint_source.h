// JointSource: where each joint of a baked skeleton comes from.
//
// A joint follows one node of a scene, mostly as it is. Its axes may lie otherwise in it, its size
// may be taken away, and a joint that was added follows none. choose_joints() (bake.h) and
// match_joints() (joint_map.h) make these lists; a take of a scene reads them.
#pragma once

#include <vector>

#include "mellow/scene.h"

namespace mellow {

/// `node` of the scene, or kNone for a joint that was added.
struct JointSource {
    int node = kNone;
    /// The uniform scale that everything above the topmost joint has in the rest pose: a scaled
    /// node above the skeleton becomes data, and joints keep scale 1.
    double scale = 1;
    /// The joint's axes in those of the node: what an axis of the joint is, turned by this.
    Quat turn = {};
    /// The joint takes no scale at all; the places of what hangs on it do.
    bool unscaled = false;

    /// The joint's axes are not those of the node, were they divided by `scale`.
    bool changes_axes() const { return unscaled || std::abs(turn.w) < 1; }
};

/// World matrix of the joint, given that of its node: axes divided by `scale`, or of length 1 and
/// square to each other where `unscaled`, then turned.
Affine joint_world(const JointSource& source, const Affine& node_world);

using JointSources = std::vector<JointSource>;

}  // namespace mellow
