// When feet of a motion stand still, how high they stand, and where their soles lie.
#pragma once

#include <array>
#include <optional>
#include <vector>

#include "retarget/series.h"
#include "retarget/source_poses.h"

namespace mellow {

/// One foot of the motion.
struct FootContacts {
    std::vector<Span> spans;  ///< in which its ball, or its ankle without a toe, stands still
    std::vector<bool> flat;   ///< by sample: it lies on its sole
    /// What stands upright on the sole, in the world at rest; nothing where it never lies on it.
    std::optional<Vec3> sole;
};

struct Contacts {
    std::array<FootContacts, 2> feet;
    double ankle_m = 0;  ///< height of an ankle whose foot stands on the ground
    double ball_m = 0;   ///< the same of a ball
    int count() const { return static_cast<int>(feet[0].spans.size() + feet[1].spans.size()); }
};

/// Reads contacts off the motion: speeds below 0.1 leg lengths a second, until above 0.2, for 0.08
/// s at least. No limit of height: feet stand on ladders. The ground is where the lowest of them
/// stand, whatever the rest pose says.
Contacts find_contacts(const SourcePoses& poses, const BoundMap& map, double step);

/// For a clip in place, whose feet never stand: the speed of the ground below the lower foot,
/// where that is steady; metres a second.
std::optional<Vec3> belt_speed(const SourcePoses& poses, const BoundMap& map, double step);

}  // namespace mellow
