// One clip from its take to its proven files, one for each target.
#pragma once

#include <optional>
#include <vector>

#include "pack/crate_output.h"

namespace mellow {

/// What became of a clip in each of the crates.
using ClipResult = std::vector<std::optional<Result<OutputClip>>>;

/// The take of a clip of `jobs`, bound for the rate of a target; `mounts` are carried along.
Result<BakedClip> bind_clip(const Recipe& recipe, const Jobs& jobs, std::size_t i,
                            const Target& target, const std::vector<Mount>& mounts);

/// Bakes once for every rate, moves travel to the root, and has each crate fit, write, read back
/// and measure it; takes it over where the crate that stands there has it. Fails where nothing can
/// be baked; what is merely wrong is in the findings. Thread-safe.
Result<ClipResult> pack_clip(const Recipe& recipe, const Jobs& jobs,
                             const std::vector<std::unique_ptr<CrateOutput>>& outputs,
                             std::size_t i, Pool<Clip>& memory);
/// Measures a clip in the files that it shares with others.
Result<ClipResult> prove_shared(const Recipe& recipe, const Jobs& jobs,
                                const std::vector<std::unique_ptr<CrateOutput>>& outputs,
                                std::size_t i);

}  // namespace mellow
