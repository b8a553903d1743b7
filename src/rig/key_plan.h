// Where the times of a tile fall between the keys of a list of times: found once for all curves
// that share the list.
#pragma once

#include <cstddef>
#include <span>

#include "mellow/curve.h"
#include "mellow/pose_tile.h"

namespace mellow {

struct KeyPlan {
    const void* identity = nullptr;  ///< of the list of times
    std::size_t key[kTileFrames];    ///< the key at or before each lane's time
    std::size_t next[kTileFrames];   ///< the key after it; the same where the value holds
    double u[kTileFrames];           ///< how far from one to the other, 0 to 1
    double width[kTileFrames];       ///< seconds between them
    bool on_keys = false;            ///< every lane stands on its key
    bool in_a_row = false;           ///< and the keys follow one another
};

/// Finds where `seconds` fall. A time within a billionth of a step of a key stands on it.
KeyPlan plan_keys(const KeyTimes& times, std::span<const double> seconds);

/// Writes the values of a curve to rows of kTileFrames lanes, one row per number, as sample() of
/// curve.h would (to rounding).
void sample_lanes(const Curve& curve, bool rotation, const KeyPlan& plan, double* rows);

}  // namespace mellow
