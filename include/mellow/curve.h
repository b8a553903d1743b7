// Curve: keyed values over seconds, with the three interpolations of glTF 2.0.
//
// Before the first key the first value holds, after the last key the last (glTF 2.0, 3.11). The
// curve does not know what it moves; Channel (scene.h) does.
#pragma once

#include <span>
#include <vector>

namespace mellow {

enum class Interpolation { kStep, kLinear, kCubicSpline };

/// `times` strictly ascending, seconds, at least one. `values` has times.size() * width numbers,
/// or, for kCubicSpline, three groups per key: in-tangent, value, out-tangent, each `width` wide.
struct Curve {
    Interpolation interpolation = Interpolation::kLinear;
    int width = 3;  ///< 3 for translation and scale, 4 for rotation, any for morph weights
    std::vector<double> times;
    std::vector<double> values;
};

/// Evaluates `curve` at each of `seconds` and writes `width` numbers per time to `out`.
/// `rotation` says that the four values are a quaternion: kLinear is then spherical and
/// shortest-way, and the outcome is always a unit quaternion. Exact at the keys. Cost: amortised
/// constant per time when `seconds` ascends. Source: glTF 2.0 specification, appendix C.
void sample(const Curve& curve, bool rotation, std::span<const double> seconds, double* out);

}  // namespace mellow
