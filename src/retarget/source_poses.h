// The motion that is carried over, as world turns since rest and as places.
#pragma once

#include <vector>

#include "mellow/skeleton.h"
#include "retarget/bound_map.h"

namespace mellow {

/// Joints in the rows, samples in the columns.
struct SourcePoses {
    int samples = 0;
    std::vector<std::vector<Quat>> turns;   ///< D: world turn since rest
    std::vector<std::vector<Vec3>> places;  ///< in the world, metres

    Quat turn(int joint, int k) const {
        return turns[static_cast<std::size_t>(joint)][static_cast<std::size_t>(k)];
    }
    Vec3 place(int joint, int k) const {
        return places[static_cast<std::size_t>(joint)][static_cast<std::size_t>(k)];
    }
};

/// Plays local transforms of a skeleton.
SourcePoses play_source(const Skeleton& skeleton, const std::vector<Transform>& locals,
                        int samples);

/// Middle of the thigh heads, or the hips where there are no legs.
Vec3 middle_of(const SourcePoses& poses, const BoundMap& map, int k);

/// How far a clip goes from its first pose to its last, over the ground, where these are one pose:
/// it goes round. Nothing where they are not.
std::optional<Vec3> round_way(const SourcePoses& poses, const BoundMap& map);

/// Three rounds of a clip that goes round, one behind the other; the middle one begins at sample
/// poses.samples - 1.
SourcePoses three_rounds(const SourcePoses& poses, Vec3 way);

/// Moves every place by `speed`, metres a second, from the first sample on.
void move_on(SourcePoses& poses, Vec3 speed, double step);

}  // namespace mellow
