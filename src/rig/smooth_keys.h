// Rounding off a run of keys and no others.
#pragma once

#include "rig/motion.h"

namespace mellow {

/// Gives the channels and member curves of `nodes` smooth tangents at the keys from layer.first to
/// layer.last (Catmull and Rom, 1974: the slope at a key is that of the line between its
/// neighbours). Values at keys stay. Beyond the first and the last key of the run nothing changes.
void smooth_keys(const SmoothLayer& layer, const std::vector<int>& nodes, double frames_per_second,
                 BoundTimeline& bound);

}  // namespace mellow
