// The rest pose of a crate: that of the source, of one frame of it, or of the places of a joint
// list.
#pragma once

#include "figure/figure.h"
#include "mellow/target.h"

namespace mellow {

/// The figure's skeleton, resting as its target wants it; where that is the source's pose, as it
/// is. Places of a joint list are none of this: fit_joints() sees to them. Fails with value-bad
/// where the timeline has no such frame, with key-unknown where there is no such timeline, and as
/// binding the rig does.
Result<Skeleton> resting(const Figure& figure, const Recipe& recipe, const Target& target);

}  // namespace mellow
