#include <numbers>

#include "model/lanes.h"
#include "rig/rules.h"

namespace mellow {
namespace {

double curve_value(const BoundDrive& r, double degrees) {
    const std::vector<CurvePoint>& c = r.curve;
    if (degrees <= c.front().degrees) return c.front().value;
    for (std::size_t i = 1; i < c.size(); ++i) {
        if (degrees > c[i].degrees) continue;
        double u = (degrees - c[i - 1].degrees) / (c[i].degrees - c[i - 1].degrees);
        if (r.smooth) u = u * u * (3 - 2 * u);
        return c[i - 1].value + u * (c[i].value - c[i - 1].value);
    }
    return c.back().value;
}

}  // namespace

void run(const BoundDrive& rule, PoseTile& tile) {
    const double* turn = tile.channel(rule.joint, PoseTile::kLocal) + 3 * kF;
    double* weight = tile.scalar(rule.scalar);
    for (int f = 0; f < kF; ++f) {
        const Quat away = conjugate(rule.rest) * load4(turn, f);
        const double angle =
            rule.twist ? twist_angle(away, rule.axis) : swing_angle(away, rule.axis);
        weight[f] = curve_value(rule, angle * 180 / std::numbers::pi);
    }
}

}  // namespace mellow
