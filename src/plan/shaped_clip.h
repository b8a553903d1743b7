// The take of a shaped clip: of parts, at another speed, repeated, mirrored, closed, placed.
#pragma once

#include <memory>
#include <vector>

#include "mellow/shaping.h"
#include "plan/jobs.h"

namespace mellow {

/// How long something of `seconds` is when it has been shaped.
double shaped_seconds(double seconds, const RecipeShaping& shaping);

/// Seconds of a motion from `first` to `last` over seconds of its shaped self, played once.
ValueCurve time_of(double first, double last, const RecipeShaping& shaping);

/// A take and all that has to outlive it; where its parts came to be.
struct ShapedClip {
    ShapedTake shaped;
    std::vector<std::shared_ptr<const void>> held;
    std::vector<PlacedPart> parts;
    Findings findings;
    /// The first motion and rig that it is made of: what its joints are driven by.
    std::shared_ptr<const FigureMotion> motion;
    std::shared_ptr<const Rig> rig;
};

/// The take of a clip with parts, before it is placed. `mounts` are carried along. `seconds`: what
/// it is fitted to; 0: its own length.
Result<ShapedClip> shaped_clip(const Recipe& recipe, const Jobs& jobs, const ClipJob& job,
                               const std::vector<Mount>& mounts, double seconds = 0);

/// What moves a clip to its place in the world; the identity where nothing is asked.
Transform place_of(const ClipJob& job, const Figure& figure, const Take& take,
                   const SamplePlan& plan);

}  // namespace mellow
