// SamplePlan: at which seconds of a timeline a clip takes its samples.
//
// Sample k stands at first_frame / source_rate + k / rate, computed from integers and rounded once,
// and never after the end of the range. Resampling changes where samples stand, never how long the
// range is.
#pragma once

#include <algorithm>
#include <cstdint>
#include <string>

#include "mellow/clip.h"
#include "mellow/rate.h"

namespace mellow {

/// Which seconds of a take become the samples of a clip.
struct SamplePlan {
    std::string clip;
    std::int64_t first_frame = 0, last_frame = 0;  ///< inclusive, counted at source_rate
    FrameRate source_rate, rate;
    int samples = 0;
    bool loop = false;

    double start() const { return source_rate.seconds(first_frame); }
    double end() const { return source_rate.seconds(last_frame); }
    /// Seconds on the timeline of sample `k`.
    double second(int k) const { return std::min(start() + rate.seconds(k), end()); }
};

}  // namespace mellow
