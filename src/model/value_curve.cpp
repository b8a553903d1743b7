#include "mellow/value_curve.h"

namespace mellow {

std::string_view name(CurveShape shape) {
    constexpr std::string_view kShapes[] = {"step", "linear", "smooth", "slopes"};
    return kShapes[static_cast<int>(shape)];
}

double value_at(const ValueCurve& curve, double at) {
    const std::vector<CurvePoint>& c = curve.points;
    if (c.empty()) return 0;
    if (!(at > c.front().at)) return c.front().value;
    for (std::size_t i = 1; i < c.size(); ++i) {
        const CurvePoint &a = c[i - 1], &b = c[i];
        if (at >= b.at) continue;
        const double width = b.at - a.at, u = (at - a.at) / width;
        switch (curve.shape) {
            case CurveShape::kStep:
                return a.value;
            case CurveShape::kLinear:
                return a.value + u * (b.value - a.value);
            case CurveShape::kSmooth:
                return a.value + u * u * (3 - 2 * u) * (b.value - a.value);
            case CurveShape::kSlopes:
                // Cubic Hermite, by its four basis functions.
                return (1 + 2 * u) * (1 - u) * (1 - u) * a.value +
                       u * (1 - u) * (1 - u) * width * a.slope + u * u * (3 - 2 * u) * b.value +
                       u * u * (u - 1) * width * b.slope;
        }
    }
    return c.back().value;
}

}  // namespace mellow
