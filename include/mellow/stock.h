// Taking stock: what is inside a scene, before anything is done to it.
//
// Nodes are told apart by what they are for (joints that carry vertices, helpers, controls that
// keys move), timelines by what moves when. Suspicions are findings: a size no figure has, an up
// axis that legs contradict, channels that never change.
#pragma once

#include <string>
#include <vector>

#include "mellow/pose.h"
#include "mellow/result.h"
#include "mellow/scene.h"

namespace mellow {

/// What part a node plays.
enum class NodeClass {
    kDeform,      ///< a joint that carries skin weight; without skins, any bare node
    kUnweighted,  ///< a joint of a skin without weight, with joints below it
    kTip,         ///< a joint of a skin without weight at the end of a chain, or an end site
    kControl,     ///< no joint, but keyed
    kHelper,      ///< no joint, not keyed
    kMesh,        ///< carries a mesh
    kCamera,      ///< carries a camera
};
std::string_view name(NodeClass node_class);

/// A stretch of frames, inclusive, during which something changes.
struct MovingSpan {
    std::int64_t first = 0, last = 0;
};

/// What moves in a timeline, and when.
struct TimelineStock {
    std::string name;
    double first_second = 0, last_second = 0;
    std::int64_t first_frame = 0, last_frame = 0;  ///< at Stock::rate
    int channels = 0, keys = 0;
    int animated_nodes = 0, animated_joints = 0, animated_morphs = 0;
    bool controls_alone = false;  ///< there are deform joints, and all keys are on other nodes
    bool telling = true;          ///< its name is not one that programs give
    std::vector<MovingSpan> moving;
    std::vector<std::int64_t> cuts;  ///< last frame before a jump between two stills
};

/// What a scene holds.
struct Stock {
    Convention convention;
    FrameRate rate;
    bool rate_known = false;
    std::vector<NodeClass> classes;  ///< one per node
    int skins = 0, meshes = 0, vertices = 0, triangles = 0, morph_targets = 0, materials = 0,
        images = 0;
    int most_influences = 0;
    Bounds bounds;        ///< of meshes at rest, else of joints, in the file's numbers
    double height_m = 0;  ///< along up, in metres
    double longest_m = 0;
    Axis longest_axis = Axis::kPlusY;
    std::string frequent_prefix;  ///< where most names, not all, begin alike: how
    int with_prefix = 0;          ///< and how many do
    std::string common_prefix;    ///< that all nodes share, up to and with a ':'
    std::vector<TimelineStock> timelines;
    Findings findings;
};

/// Takes stock of a scene as it is (not converted inside). A stretch counts as moving when any
/// curve changes by more than 1e-6 of its own size between two frames; stills shorter than 3 frames
/// do not end it. A change of one interval between two longer stills is a cut, not a motion.
Stock take_stock(const Scene& scene);

/// The tree of nodes as text: one line per node with depth, class and marks. Stable, made for
/// diffs.
std::string tree_text(const Scene& scene, const Stock& stock);

}  // namespace mellow
