#include "mellow/euler.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "mellow/transform.h"

namespace mellow {
namespace {

constexpr double kTurn = 2 * std::numbers::pi;
constexpr std::array<std::string_view, 6> kOrders{"XYZ", "XZY", "YXZ", "YZX", "ZXY", "ZYX"};

Vec3 axis(int i) { return {i == 0 ? 1.0 : 0.0, i == 1 ? 1.0 : 0.0, i == 2 ? 1.0 : 0.0}; }

double member(Vec3 v, int i) { return i == 0 ? v.x : i == 1 ? v.y : v.z; }

/// `angle` with whole turns added until it is nearest to `wanted`.
double unwound(double angle, double wanted) {
    return angle + kTurn * std::round((wanted - angle) / kTurn);
}

double largest_change(const EulerAngles& a, const EulerAngles& b) {
    return std::max({std::abs(a[0] - b[0]), std::abs(a[1] - b[1]), std::abs(a[2] - b[2])});
}

}  // namespace

std::string_view name(EulerOrder order) { return kOrders[static_cast<std::size_t>(order)]; }

std::optional<EulerOrder> parse_euler_order(std::string_view text) {
    for (std::size_t i = 0; i < kOrders.size(); ++i)
        if (kOrders[i] == text) return static_cast<EulerOrder>(i);
    return {};
}

std::array<int, 3> axes_of(EulerOrder order) {
    const std::string_view n = name(order);
    return {n[0] - 'X', n[1] - 'X', n[2] - 'X'};
}

Quat from_euler(const EulerAngles& angles, EulerOrder order) {
    const auto [i, j, k] = axes_of(order);
    return from_axis_angle(axis(i), angles[0]) * from_axis_angle(axis(j), angles[1]) *
           from_axis_angle(axis(k), angles[2]);
}

EulerAngles to_euler(Quat q, EulerOrder order, const EulerAngles& previous) {
    const auto [i, j, k] = axes_of(order);
    const double sign = (j - i + 3) % 3 == 1 ? 1 : -1;  // even orders turn the right way round
    const Vec3 columns[3] = {rotate(q, axis(0)), rotate(q, axis(1)), rotate(q, axis(2))};
    const auto m = [&](int row, int column) { return member(columns[column], row); };
    // R == Ri(a) Rj(b) Rk(c): m[i][k] == sign * sin b, m[j][k] == -sign * sin a cos b, ...
    const double sin_b = std::clamp(sign * m(i, k), -1.0, 1.0);
    const double cos_b = std::hypot(m(i, i), m(i, j));
    if (cos_b < 1e-7) {
        const double b = std::copysign(std::numbers::pi / 2, sin_b);
        // Only a + c or c - a shows, in m[j][i] and m[j][j].
        const double shown = std::atan2(sign * m(j, i), m(j, j)), a = previous[0];
        const double c = sign * sin_b > 0 ? shown - a : shown + a;
        return {a, unwound(b, previous[1]), unwound(c, previous[2])};
    }
    const double a = std::atan2(-sign * m(j, k), m(k, k));
    const double b = std::atan2(sin_b, cos_b);
    const double c = std::atan2(-sign * m(i, j), m(i, i));
    const double half = std::numbers::pi;
    const EulerAngles angles{unwound(a, previous[0]), unwound(b, previous[1]),
                             unwound(c, previous[2])};
    const EulerAngles other{unwound(a + half, previous[0]), unwound(half - b, previous[1]),
                            unwound(c + half, previous[2])};
    return largest_change(other, previous) < largest_change(angles, previous) ? other : angles;
}

}  // namespace mellow
