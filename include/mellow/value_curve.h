// ValueCurve: a number over another, by points and how it goes between them: weights over frames,
// morph weights over degrees, source seconds over clip seconds. Its units are those of whoever
// holds it. Before the first point and behind the last the value holds.
#pragma once

#include <string_view>
#include <vector>

namespace mellow {

/// How a value goes from one point of a curve to the next.
enum class CurveShape {
    kStep,    ///< holds, then jumps
    kLinear,  ///< straight
    kSmooth,  ///< u*u*(3 - 2u): flat at each point
    kSlopes,  ///< cubic, with the slope given at each point
};
/// "step", "linear", "smooth" or "slopes".
std::string_view name(CurveShape shape);

/// One point.
struct CurvePoint {
    double at = 0, value = 0, slope = 0;  ///< `slope` per unit of `at`, for kSlopes alone
};

/// Points with ascending `at`; held beyond the first and the last.
struct ValueCurve {
    std::vector<CurvePoint> points;
    CurveShape shape = CurveShape::kLinear;
};
/// The value at `at`; 0 of a curve without points.
double value_at(const ValueCurve& curve, double at);

}  // namespace mellow
