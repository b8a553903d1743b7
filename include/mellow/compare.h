// Comparing two scenes: how differently they move, in millimetres and degrees.
//
// Both are played plainly, as any player would, from second 0 of each; what a rig sheet would add
// is not part of a file. Thread rule: no shared state.
#pragma once

#include <map>
#include <set>
#include <string>
#include <vector>

#include "mellow/prove.h"
#include "mellow/result.h"
#include "mellow/scene.h"

namespace mellow {

/// What is compared with what, and how finely.
struct CompareOptions {
    std::map<std::string, std::string> names;  ///< joint in A -> joint in B, where they differ
    int timeline_a = 0, timeline_b = 0;        ///< indices; a scene without timelines rests
    int oversample = 5;                        ///< moments per frame of A's rate
    bool align_first_key = false;              ///< begin at the first key of each instead
};

/// One joint that both have. `rest_*` compares the rest poses, in the world.
struct JointComparison {
    std::string joint;
    Deviation position_mm, rotation_degrees;  ///< `sample` counts moments
    Deviation scale;  ///< of the world's column lengths, relative to the larger of the two
    double rest_mm = 0, rest_degrees = 0;
};

/// What was measured. Nothing is judged here: differences() does that.
struct Comparison {
    double seconds_a = 0, seconds_b = 0;  ///< where each timeline ends
    double moments_per_second = 0;
    int moments = 0;
    std::vector<JointComparison> joints;
    std::vector<std::string> only_a, only_b;  ///< joints the other does not have
    Deviation position_mm, rotation_degrees;  ///< over all joints
    Deviation scale;
    Deviation vertex_mm;  ///< skinned meshes of one name and vertex count
    Deviation weight;     ///< morph targets of one mesh and target name
    std::vector<std::string> meshes_only_a, meshes_only_b;
    std::vector<std::string> other_meshes;  ///< of one name, but with other vertices
    std::vector<std::string> weights_only_a, weights_only_b;  ///< "mesh/target"
    std::vector<std::string> other_parents;                   ///< "hand.L: forearm.L, not Tamsin"
    /// "body: normals by up to 3.1 degrees": normals, texture coordinates, colours, triangles and
    /// their winding, materials of meshes with the same vertices.
    std::vector<std::string> surfaces;
    std::vector<std::string> cameras;  ///< "view: field of view", "view only in the first"
    double height_m = 0;               ///< of A at rest, for reading the figures
};

/// What two files can differ in, in the order in which it is told.
enum class Aspect {
    kPlaces,
    kTurns,
    kScales,
    kVertices,
    kWeights,
    kJoints,
    kParents,
    kMeshes,
    kLength,
    kSurfaces,
    kCameras
};
/// "places", "turns", "scales", "vertices", "weights", "joints", "parents", "meshes", "length",
/// "surfaces", "cameras"
std::string_view name(Aspect aspect);
inline constexpr int kAspects = 11;

/// What two scenes may be apart and still move the same.
struct CompareTolerance {
    double mm = 0.05;       ///< of joints and vertices
    double degrees = 0.01;  ///< of joints
    double scale = 1e-4;    ///< of joints, relative
    double weight = 1e-4;   ///< of morph weights
    double seconds = 1e-3;  ///< of where the timelines end
};

/// One thing in which two scenes differ, in words.
struct Difference {
    Aspect aspect = Aspect::kPlaces;
    std::string what;  ///< "worst 0.31 mm at hand.L, 0.4 s, above 0.05"
};

/// All in which the two differ by more than the tolerance, but for what is ignored; empty when they
/// move the same. Joints, meshes and weights that one alone has are differences, too.
std::vector<Difference> differences(const Comparison& comparison, const CompareTolerance& tolerance,
                                    const std::set<Aspect>& ignored = {});

/// Plays one timeline of each, which must both be in the inside convention, and measures. Joints
/// are those of all skins; in a scene without skins all nodes without mesh and camera. They are
/// matched by name against all nodes of the other scene. Fails with no-joints when none is in both,
/// with name-unknown when a name of the map is not there, with limit when the two are longer than
/// can be measured.
Result<Comparison> compare_motion(const Scene& a, const Scene& b, const CompareOptions& options);

}  // namespace mellow
