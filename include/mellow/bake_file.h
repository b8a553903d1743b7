// Baking one timeline of a file in one call: read, take inside, bind, choose joints, plan, bake.
//
// This is the short way for a tool of your own that wants samples and nothing written. A recipe
// (recipe.h, pack.h) does the same for many clips and proves what it writes; the steps one by one
// are in examples/04_lift.cpp. What comes back is in the inside convention: metres, +Y up, +Z
// front.
#pragma once

#include <cstdint>
#include <filesystem>
#include <optional>
#include <string>

#include "mellow/bake.h"
#include "mellow/read.h"
#include "mellow/rig_sheet.h"
#include "mellow/travel.h"
#include "mellow/true_convention.h"

namespace mellow {

/// What of a file is baked, and how it is read.
struct BakeFileOptions {
    TrueConvention truth;       ///< what the file really is, where it says otherwise
    std::filesystem::path rig;  ///< a rig sheet; without one the file's own keys are all that moves
    std::string timeline;       ///< by name; empty: the only one there is
    /// Frames of the file's rate, both included; empty: from the first key to the last.
    std::optional<std::int64_t> first, last;
    std::optional<FrameRate> rate;  ///< samples per second; empty: the file's own rate
    bool loop = false;              ///< the range closes on itself
    JointChoice joints;
    std::string strip_prefix;  ///< taken off the names of joints that have it
    std::string root;          ///< a root joint of this name above all others; empty: none is added
    TravelParts travel;        ///< what that root carries, of the motion of the joint `hips`
    std::string hips;          ///< without the prefix; needed where anything travels
};

/// What was read and baked, all of it inside.
struct BakedFile {
    Scene scene;     ///< the file, taken inside; `scene.rate` is the rate that was found or told
    RigSheet sheet;  ///< taken inside likewise; empty without `rig`
    Skeleton skeleton;
    JointSources sources;  ///< which node each joint comes from
    SamplePlan plan;
    Clip clip;
    std::vector<JointLoss> losses;  ///< one per joint
    Findings findings;              ///< of reading and planning
};

/// Bakes a range of one timeline to the deform joints. Fails as read_scene(), parse_rig_sheet(),
/// Rig::bind(), choose_joints(), add_root() and plan_range() do, with name-unknown for a timeline
/// or hips that are not there, with name-clash where names without the prefix are alike, and with
/// value-bad for travel without a root. A file without motion is a pose, one sample at rest. `clip`
/// has a track for each joint of `skeleton`, in its order. Nothing is written.
Result<BakedFile> bake_file(const std::filesystem::path& file, const BakeFileOptions& options = {});

}  // namespace mellow
