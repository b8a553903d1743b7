#include "mellow/curve.h"

#include <algorithm>
#include <cstddef>

#include "mellow/quat.h"

namespace mellow {

KeyTimes::KeyTimes(std::vector<double> list)
    : list_(list.empty() ? nullptr : std::make_shared<std::vector<double>>(std::move(list))) {}

KeyTimes::KeyTimes(std::initializer_list<double> list) : KeyTimes(std::vector<double>(list)) {}

const std::vector<double>& KeyTimes::list() const {
    static const std::vector<double> none;
    return list_ ? *list_ : none;
}

namespace {

Quat load(const double* v) { return {v[0], v[1], v[2], v[3]}; }
void save(Quat q, double* v) { v[0] = q.x, v[1] = q.y, v[2] = q.z, v[3] = q.w; }

/// Cubic Hermite of one number; tangents are per second, `dt` the length of the segment.
double hermite(double p0, double m0, double p1, double m1, double u, double dt) {
    const double u2 = u * u, u3 = u2 * u;
    return (2 * u3 - 3 * u2 + 1) * p0 + dt * (u3 - 2 * u2 + u) * m0 + (3 * u2 - 2 * u3) * p1 +
           dt * (u3 - u2) * m1;
}

template <class Number>
void sample_from(const Number* values, const Curve& curve, bool rotation,
                 std::span<const double> seconds, double* out) {
    const auto width = static_cast<std::size_t>(curve.width);
    const bool cubic = curve.interpolation == Interpolation::kCubicSpline;
    const std::size_t stride = cubic ? 3 * width : width;
    const std::vector<double>& times = curve.times;
    const auto load_at = [](const Number* v) {
        return Quat{static_cast<double>(v[0]), static_cast<double>(v[1]), static_cast<double>(v[2]),
                    static_cast<double>(v[3])};
    };
    std::size_t key = 0;  // last key at or before the time
    for (const double t : seconds) {
        if (times[key] > t) key = 0;
        if (key + 1 < times.size() && times[key + 1] <= t) {
            ++key;
            if (key + 1 < times.size() && times[key + 1] <= t) {
                const auto next = std::upper_bound(times.begin() + static_cast<std::ptrdiff_t>(key),
                                                   times.end(), t);
                key = static_cast<std::size_t>(next - times.begin()) - 1;
            }
        }
        const bool held = key + 1 >= times.size() || t <= times[key] ||
                          curve.interpolation == Interpolation::kStep;
        const Number* a = values + key * stride + (cubic ? width : 0);
        if (held) {
            std::copy_n(a, width, out);
        } else {
            const Number* b = a + stride;
            const double dt = times[key + 1] - times[key], u = (t - times[key]) / dt;
            const auto d = [](Number v) { return static_cast<double>(v); };
            if (cubic) {
                const Number *out_tangent = a + width, *in_tangent = b - width;
                for (std::size_t i = 0; i < width; ++i)
                    out[i] = hermite(d(a[i]), d(out_tangent[i]), d(b[i]), d(in_tangent[i]), u, dt);
            } else if (rotation) {
                save(slerp(normalized(load_at(a)), normalized(load_at(b)), u), out);
            } else {
                for (std::size_t i = 0; i < width; ++i) out[i] = d(a[i]) + u * (d(b[i]) - d(a[i]));
            }
        }
        if (rotation) save(normalized(load(out)), out);
        out += width;
    }
}

}  // namespace

void sample(const Curve& curve, bool rotation, std::span<const double> seconds, double* out) {
    if (const auto singles = curve.values.singles(); !singles.empty())
        sample_from(singles.data(), curve, rotation, seconds, out);
    else
        sample_from(curve.values.doubles().data(), curve, rotation, seconds, out);
}

}  // namespace mellow
