// Converting one scene file to another format, convention or rate, without a recipe.
#pragma once

#include <filesystem>
#include <optional>
#include <string>
#include <vector>

#include "mellow/euler.h"
#include "mellow/rate.h"
#include "mellow/read.h"
#include "mellow/result.h"

namespace mellow {

struct ConvertOptions {
    std::string target = "y-up-metre";  ///< convention of the output (find_preset())
    std::optional<FrameRate> rate;      ///< resample; glTF without it keeps its keys as they are
    std::string timeline;               ///< empty: all of them; BVH takes exactly one
    std::optional<std::int64_t> first, last;  ///< inclusive frames of the source rate; both or none
    EulerOrder order = EulerOrder::kZXY;      ///< of the rotations in BVH
    bool replace = false;
};

struct ConvertReport {
    std::vector<std::filesystem::path> files;  ///< what was written
    Findings findings;                         ///< what the output cannot carry
};

/// Writes `source` to `output`, whose ending chooses the format: .glb, .gltf (with .bin and
/// pictures beside it) or .bvh. `source` is as it was read and overruled. A whole scene goes to
/// glTF, helpers and all; BVH takes the skeleton, helpers folded in, sampled at the rate. Fails
/// with value-bad, name-unknown (the timeline), range-empty, range-outside, no-joints, no-motion,
/// output-exists or output-unwritable; then nothing has been written.
Result<ConvertReport> convert_file(Scene source, const std::filesystem::path& output,
                                   const ConvertOptions& options);

}  // namespace mellow
