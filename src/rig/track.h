// Track: what a rule with memory found by walking through time, at even steps, so that it can then
// be looked up at any time, in any order, on any thread.
#pragma once

#include <span>
#include <vector>

#include "mellow/transform.h"

namespace mellow {

/// Steps a second of the walk. Fixed, so that nothing depends on the rate of a clip.
inline constexpr double kStepsPerSecond = 240;

struct Track {
    double start = 0;  ///< seconds of the first step
    int width = 1;
    std::vector<double> values;  ///< [step][width]

    std::size_t steps() const { return values.size() / static_cast<std::size_t>(width); }
    /// The step at or before `seconds`, and how far on the way to the next, 0 to 1; held beyond
    /// both ends.
    std::size_t find(double seconds, double& u) const;
    const double* at(std::size_t step) const {
        return &values[step * static_cast<std::size_t>(width)];
    }
};

/// Where a lagging node is between two steps of its walk.
struct LagState {
    bool begun = false;
    Vec3 place, speed;          ///< of the target, at the last step
    Vec3 behind, behind_speed;  ///< of the node, away from its target
    Quat turn;                  ///< the same for turns, as rotation vectors in the world
    Vec3 turn_speed, turned, turned_speed;
};

/// Where a rolling wheel is between two steps of its walk.
struct RollState {
    bool begun = false;
    Vec3 place, forward;
    double angle = 0;
};

}  // namespace mellow
