// What a clip depends on, as a hash: a clip of the same hash is the same clip.
#pragma once

#include <string>

#include "pack/jobs.h"

namespace mellow {

/// Goes up whenever the same inputs give other bytes, figures or findings than before.
inline constexpr int kArithmetic = 2;

/// Of one clip: bytes of the figure, its rig sheet and the motion file; the skin file that was
/// written; its part of the recipe; the version of the arithmetic.
std::string clip_inputs(const Recipe& recipe, const Target& target, const Jobs& jobs,
                        const ClipJob& job, const PackReport& report);
}  // namespace mellow
