// What a clip depends on, as a hash: a clip of the same hash is the same clip.
#pragma once

#include <string>

#include "plan/jobs.h"

namespace mellow {

/// Of one clip of the crate `made`: bytes of the figure, its rig sheet and the motion file; the
/// skin file that was written; its part of the recipe; the version of the arithmetic.
std::string clip_inputs(const Recipe& recipe, const Target& target, const Jobs& jobs,
                        const ClipJob& job, const Manifest& made);
}  // namespace mellow
