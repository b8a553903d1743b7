// JointSource: where each joint of a baked skeleton comes from.
#pragma once

#include <vector>

#include "mellow/scene.h"

namespace mellow {

/// `node` of the scene, or kNone for a joint that was added. The joint's world matrix is the node's
/// with its axes divided by `scale`: the uniform scale that everything above the topmost joint has
/// in the rest pose, so that a scaled armature becomes data and joints keep scale 1.
struct JointSource {
    int node = kNone;
    double scale = 1;
};

using JointSources = std::vector<JointSource>;

}  // namespace mellow
