// Fitting to a target: names, and the scenes that are written: one skin, many motions.
#pragma once

#include <string>
#include <vector>

#include "mellow/clip.h"
#include "mellow/joint_source.h"
#include "mellow/result.h"
#include "mellow/scene.h"
#include "mellow/skeleton.h"

namespace mellow {

/// Takes `prefix` off the names of nodes, meshes, skins, materials and timelines and returns how
/// many lost it. Fails with name-clash, and changes nothing, when two of the nodes `kept` would end
/// up with one name.
Result<int> strip_prefix(Scene& scene, const std::string& prefix, const std::vector<int>& kept);

/// A scene to write, and what was left out or changed on the way.
struct Assembled {
    Scene scene;
    Findings findings;
};

/// Skin, skeleton, rest pose and morph targets, without motion. Every skin lists all joints of the
/// skeleton in its order. A mesh whose joints all agree on one bind matrix is rewritten into the
/// rest pose, so that its inverse binds are the inverses of the rest matrices; a mesh bound in
/// another pose keeps its own. Meshes without skin, cameras and lights are left out, with a
/// finding.
Assembled assemble_skin(const Scene& source, const Skeleton& skeleton, const JointSources& sources);

/// Joints and one timeline, nothing else. Every joint gets a translation and a rotation curve with
/// all samples, and a scale curve where scale is not that of the rest pose. `extras` is JSON text
/// for the animation.
Scene assemble_clip(const Skeleton& skeleton, const Clip& clip, const RawJson& extras);

}  // namespace mellow
