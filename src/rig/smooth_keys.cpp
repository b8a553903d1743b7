#include "rig/smooth_keys.h"

#include <algorithm>

namespace mellow {
namespace {

/// The value of key `k`, without tangents; a rotation on the hemisphere of `like`.
std::vector<double> value_of(const Curve& curve, std::size_t k, const std::vector<double>* like) {
    const auto width = static_cast<std::size_t>(curve.width);
    const bool cubic = curve.interpolation == Interpolation::kCubicSpline;
    const std::size_t from = k * (cubic ? 3 * width : width) + (cubic ? width : 0);
    std::vector<double> value(width);
    double cosine = 0;
    for (std::size_t i = 0; i < width; ++i) {
        value[i] = curve.values[from + i];
        if (like != nullptr) cosine += value[i] * (*like)[i];
    }
    for (std::size_t i = 0; cosine < 0 && i < width; ++i) value[i] = -value[i];
    return value;
}

}  // namespace

void smooth_keys(const Layer& layer, const std::vector<int>& nodes, double frames_per_second,
                 BoundTimeline& bound) {
    const double slack = 1e-6, from = layer.first / frames_per_second - slack,
                 to = layer.last / frames_per_second + slack;
    for (std::size_t c = 0; c < bound.timeline->channels.size(); ++c) {
        const Channel& channel = bound.timeline->channels[c];
        if (!std::binary_search(nodes.begin(), nodes.end(), channel.node)) continue;
        const std::vector<double>& times = channel.curve.times;
        const auto first = static_cast<std::size_t>(
            std::lower_bound(times.begin(), times.end(), from) - times.begin());
        const auto last = static_cast<std::size_t>(
            std::upper_bound(times.begin(), times.end(), to) - times.begin());  // one beyond
        if (last < first + 2) continue;
        const bool rotation = channel.path == Path::kRotation;
        std::vector<std::vector<double>> values;
        for (std::size_t k = first; k < last; ++k)
            values.push_back(
                value_of(channel.curve, k, rotation && !values.empty() ? &values.back() : nullptr));
        BoundTimeline::Smoothed run{times[first], times[last - 1], {}};
        run.curve.interpolation = Interpolation::kCubicSpline;
        run.curve.width = channel.curve.width;
        run.curve.times = std::vector<double>(times.begin() + static_cast<std::ptrdiff_t>(first),
                                              times.begin() + static_cast<std::ptrdiff_t>(last));
        for (std::size_t k = 0; k < values.size(); ++k) {
            const std::size_t a = k == 0 ? 0 : k - 1, b = std::min(k + 1, values.size() - 1);
            std::vector<double> slope(values[k].size());
            for (std::size_t i = 0; i < slope.size(); ++i)
                slope[i] = (values[b][i] - values[a][i]) / (times[first + b] - times[first + a]);
            run.curve.values.append(slope.begin(), slope.end());
            run.curve.values.append(values[k].begin(), values[k].end());
            run.curve.values.append(slope.begin(), slope.end());
        }
        bound.smoothed[c] = std::move(run);
    }
}

}  // namespace mellow
