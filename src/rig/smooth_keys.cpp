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

/// Keys of a curve between two times: the first, and one beyond the last.
struct Run {
    std::size_t first, last;
};
Run keys_between(const std::vector<double>& times, double from, double to) {
    const auto place = [&](auto it) { return static_cast<std::size_t>(it - times.begin()); };
    return {place(std::lower_bound(times.begin(), times.end(), from)),
            place(std::upper_bound(times.begin(), times.end(), to))};
}

/// The same with control points: cubics whose control points stand at thirds of the time.
void smooth_member(MemberCurve& curve, Run run) {
    const std::size_t keys = curve.times.size(), width = static_cast<std::size_t>(curve.width);
    if (curve.shapes.size() == 1) curve.shapes.assign(keys, curve.shapes[0]);
    if (curve.after.empty()) {
        for (std::size_t i = 0; i < keys * width; ++i)
            curve.after.insert(curve.after.end(), {curve.times[i / width], curve.values[i]});
        curve.before = curve.after;
    }
    for (std::size_t k = run.first; k < run.last; ++k) {
        const std::size_t a = k == 0 ? 0 : k - 1, b = std::min(k + 1, keys - 1);
        for (std::size_t m = 0; m < width; ++m) {
            const double value = curve.values[k * width + m];
            const double slope = (curve.values[b * width + m] - curve.values[a * width + m]) /
                                 (curve.times[b] - curve.times[a]);
            const auto set = [&](std::vector<double>& points, std::size_t neighbour) {
                const double third = (curve.times[neighbour] - curve.times[k]) / 3;
                points[2 * (k * width + m)] = curve.times[k] + third;
                points[2 * (k * width + m) + 1] = value + slope * third;
            };
            if (k > run.first) set(curve.before, k - 1);
            if (k + 1 < run.last) set(curve.after, k + 1);
        }
        if (k + 1 < run.last) curve.shapes[k] = KeyShape::kBezier;
    }
}

}  // namespace

void smooth_keys(const SmoothLayer& layer, const std::vector<int>& nodes, double frames_per_second,
                 BoundTimeline& bound) {
    const double slack = 1e-6, from = layer.first / frames_per_second - slack,
                 to = layer.last / frames_per_second + slack;
    for (std::size_t c = 0; c < bound.timeline->channels.size(); ++c) {
        const Channel& channel = bound.timeline->channels[c];
        if (!std::binary_search(nodes.begin(), nodes.end(), channel.node)) continue;
        const std::vector<double>& times = channel.curve.times;
        const auto [first, last] = keys_between(times, from, to);
        if (last < first + 2) continue;
        const bool rotation = channel.path == Path::kRotation;
        // With the keys on either side of the run, which its ends take their slopes from.
        const std::size_t before = first == 0 ? 0 : first - 1,
                          beyond = std::min(last + 1, times.size());
        std::vector<std::vector<double>> values;
        for (std::size_t k = before; k < beyond; ++k)
            values.push_back(
                value_of(channel.curve, k, rotation && !values.empty() ? &values.back() : nullptr));
        BoundTimeline::Smoothed run{times[first], times[last - 1], {}};
        run.curve.interpolation = Interpolation::kCubicSpline;
        run.curve.width = channel.curve.width;
        run.curve.times = std::vector<double>(times.begin() + static_cast<std::ptrdiff_t>(first),
                                              times.begin() + static_cast<std::ptrdiff_t>(last));
        for (std::size_t k = first - before; k < last - before; ++k) {
            const std::size_t a = k == 0 ? 0 : k - 1, b = std::min(k + 1, values.size() - 1);
            std::vector<double> slope(values[k].size());
            for (std::size_t i = 0; i < slope.size(); ++i)
                slope[i] = (values[b][i] - values[a][i]) / (times[before + b] - times[before + a]);
            run.curve.values.append(slope.begin(), slope.end());
            run.curve.values.append(values[k].begin(), values[k].end());
            run.curve.values.append(slope.begin(), slope.end());
        }
        bound.smoothed[c] = std::move(run);
    }
    const std::vector<MemberCurve>& own = bound.timeline->members;
    const auto listed = [&](const MemberCurve& m) {
        return std::binary_search(nodes.begin(), nodes.end(), m.node);
    };
    if (std::none_of(own.begin(), own.end(), listed)) return;
    if (bound.smoothed_members.empty()) bound.smoothed_members = own;
    for (MemberCurve& member : bound.smoothed_members) {
        const Run run = keys_between(member.times, from, to);
        if (listed(member) && run.last >= run.first + 2) smooth_member(member, run);
    }
    bound.members = member_runs(bound.smoothed_members);
}

}  // namespace mellow
