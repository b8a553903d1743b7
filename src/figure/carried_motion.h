// Motion of another figure as a scene of this one's joints, so that all behind it is as always.
#pragma once

#include "mellow/bake.h"
#include "mellow/figure_map.h"
#include "mellow/retarget.h"
#include "mellow/scene.h"

namespace mellow {

/// The joints of `figure` in a scene of their own, moved by every timeline of `motion`: linear keys
/// at 50 a second at least, on frames of the motion's rate and between them. Morph weights and
/// scalars come along as they are. `bones` are the motion's joints. What carrying did to each
/// timeline is said in `findings`.
Result<Scene> carry_motion(const Scene& motion, const ChosenJoints& bones, const Skeleton& figure,
                           const FigureMap& map, const CarryOptions& options, const Place& where,
                           Findings& findings);

/// Names of the joints that a map pairs one with one, motion first; nothing where some are chains
/// of other counts, or where the map holds or turns joints: equal bones are then not enough.
std::optional<std::vector<std::pair<std::string, std::string>>> plain_pairs(const FigureMap& map);

}  // namespace mellow
