// Fitting piecewise cubics to a function of time that cannot be written as one.
#pragma once

#include <functional>
#include <vector>

#include "mellow/rate.h"

namespace mellow {

struct CubicProblem {
    int width = 1;
    std::vector<double> knots;  ///< ascending, seconds; keys are put at all of them
    FrameRate rate;             ///< further keys go onto its frames first
    double tolerance = 0;
    /// Writes `width` numbers for a time. Continuous between knots; at a knot the later value.
    std::function<void(double seconds, double* out)> value;
    /// How far `fitted` is from what value() gave for the same time, in the units of `tolerance`.
    std::function<double(const double* fitted, const double* exact)> miss;
    /// Rewrites `values` into the branch nearest to `reference` (angles, quaternion signs).
    std::function<void(const double* reference, double* values)> follow;
};

/// A cubic Hermite spline. Tangents are per second; `in` and `out` differ where there is a corner.
struct CubicFit {
    std::vector<double> times, values, in, out;
    bool linear = false;  ///< straight lines between the keys are within the tolerance
    double worst = 0;     ///< largest miss found at the quarters of each segment
    int jumps = 0;        ///< knots with two values, made two keys `kJump_s` apart
};

/// What a jump takes at least, in seconds; single-precision times tell two such keys apart to 80 s
/// and get as much more as they need beyond.
inline constexpr double kJump_s = 1e-5;

/// Keys at the knots; a segment that misses by more than the tolerance is halved at a frame, or in
/// the middle when no frame is inside, down to a 1024th of a frame and to 8 keys per
/// frame and knot in all: what is no smooth function misses, and says so. Tangents are one-sided
/// differences inside each segment. Amortised cost: about 12 evaluations per key.
CubicFit fit_cubic(const CubicProblem& problem);

}  // namespace mellow
