// Comparing two scenes: how differently they move, in millimetres and degrees.
//
// Both are played plainly, as any player would, from the first key of each; what a rig sheet would
// add is not part of a file. Thread rule: no shared state.
#pragma once

#include <map>
#include <string>
#include <vector>

#include "mellow/prove.h"
#include "mellow/result.h"
#include "mellow/scene.h"

namespace mellow {

struct CompareOptions {
    std::map<std::string, std::string> names;  ///< joint in A -> joint in B, where they differ
    int timeline_a = 0, timeline_b = 0;        ///< indices; a scene without timelines rests
    int oversample = 5;                        ///< moments per frame of A's rate
};

/// One joint that both have. `rest_*` compares the rest poses, in the world.
struct JointComparison {
    std::string joint;
    Deviation position_mm, rotation_degrees;  ///< `sample` counts moments
    double rest_mm = 0, rest_degrees = 0;
};

struct Comparison {
    double seconds_a = 0, seconds_b = 0;  ///< length of each timeline
    double moments_per_second = 0;
    int moments = 0;
    std::vector<JointComparison> joints;
    std::vector<std::string> only_a, only_b;  ///< joints the other does not have
    Deviation position_mm, rotation_degrees;  ///< over all joints
    Deviation vertex_mm;                      ///< skinned meshes of one name and vertex count
    Deviation weight;                         ///< morph targets of one mesh and target name
    std::vector<std::string> other_meshes;    ///< of one name, but with other vertices
    double height_m = 0;                      ///< of A at rest, for reading the figures
};

/// Plays one timeline of each, which must both be in the inside convention, and measures. Joints
/// are those of all skins; in a scene without skins all nodes without mesh and camera. They are
/// matched by name against all nodes of the other scene. Fails with no-joints when none is in both,
/// with name-unknown when a name of the map is not there.
Result<Comparison> compare_motion(const Scene& a, const Scene& b, const CompareOptions& options);

}  // namespace mellow
