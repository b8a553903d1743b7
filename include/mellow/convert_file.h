// Converting one scene file to another format, convention or rate, without a recipe.
//
// A file is taken as it is: no joints are chosen, nothing is fitted to a target. What the output
// cannot carry is said. For clips on deform joints, proven against their rig, see pack.h.
#pragma once

#include <filesystem>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "mellow/euler.h"
#include "mellow/rate.h"
#include "mellow/read.h"
#include "mellow/result.h"
#include "mellow/write.h"

namespace mellow {

/// Where pictures go.
enum class Textures { kEmbedded, kBeside, kLeftOut };

/// What is written, and in which terms.
struct ConvertOptions {
    Convention target;              ///< of the output
    std::optional<FrameRate> rate;  ///< resample; glTF without it keeps its keys as they are
    std::string timeline;           ///< empty: all of them; BVH takes exactly one
    std::optional<std::int64_t> first, last;  ///< inclusive frames of the source rate; both or none
    /// Of the rotations in BVH and COLLADA; without it what the source keyed, else ZXY in BVH and
    /// ZYX in COLLADA.
    std::optional<EulerOrder> order;
    std::map<std::string, EulerOrder> orders;  ///< for single joints, by name
    bool matrices = false;                     ///< COLLADA: matrices instead of Euler angles
    SceneParts parts = SceneParts::kAll;
    std::optional<Textures> textures;  ///< without it embedded in .glb, beside all others
    bool replace = false;
};

/// What was done.
struct ConvertReport {
    std::vector<std::filesystem::path> files;  ///< what was written
    Findings findings;                         ///< what the output cannot carry
};

/// Writes `source` to `output`, whose ending chooses the format: .glb, .gltf (with .bin and
/// pictures beside it), .dae (with pictures) or .bvh. `source` is as it was read and overruled. A
/// whole scene goes to glTF and COLLADA, helpers and all; BVH takes the skeleton, helpers folded
/// in, sampled at the rate. Stacks are composed (compose_stacks()). kSkin leaves the timelines out,
/// kMotion the meshes, skins and materials; morph weights then go into glTF's extras
/// (docs/crate.md). Textures::kLeftOut drops pictures and what refers to them. Fails with
/// value-bad, name-unknown (the timeline, a joint of `orders`), range-empty, range-outside,
/// no-joints, no-motion, name-clash, output-exists or output-unwritable; then nothing has been
/// written.
Result<ConvertReport> convert_file(Scene source, const std::filesystem::path& output,
                                   const ConvertOptions& options);

}  // namespace mellow
