#include <algorithm>
#include <cmath>

#include "mellow/shape.h"

namespace mellow {
namespace {

template <class Change>
void change_arrays(Clip& clip, Change change) {
    for (JointTrack& track : clip.joints) {
        change(track.translation, std::size_t{3});
        change(track.rotation, std::size_t{4});
        change(track.scale, std::size_t{3});
    }
    for (MorphTrack& track : clip.morphs) change(track.weights, track.targets.size());
    for (ScalarTrack& track : clip.scalars) change(track.values, std::size_t{1});
}

}  // namespace

LoopGap loop_gap(const Clip& clip) {
    LoopGap gap;
    for (std::size_t j = 1; j < clip.joints.size(); ++j) {
        const Transform a = local_at(clip.joints[j], 0);
        const Transform b = local_at(clip.joints[j], clip.samples - 1);
        gap.distance_m = std::max(gap.distance_m, length(a.t - b.t));
        const double angle = angle_between(a.r, b.r);
        if (angle > gap.angle_rad) gap.angle_rad = angle, gap.joint = static_cast<int>(j);
    }
    for (const MorphTrack& track : clip.morphs) {
        const std::size_t n = track.targets.size(), last = track.weights.size() - n;
        for (std::size_t t = 0; t < n; ++t)
            gap.weight = std::max(gap.weight, std::abs(static_cast<double>(track.weights[t]) -
                                                       track.weights[last + t]));
    }
    return gap;
}

void open_loop(Clip& clip) {
    if (clip.loop != LoopForm::kClosed) return;
    change_arrays(clip, [](std::vector<float>& values, std::size_t width) {
        values.resize(values.size() - width);
    });
    clip.loop = LoopForm::kOpen;
    --clip.samples;
}

void close_loop(Clip& clip) {
    if (clip.loop != LoopForm::kOpen) return;
    change_arrays(clip, [](std::vector<float>& values, std::size_t width) {
        for (std::size_t i = 0; i < width; ++i) values.push_back(values[i]);
    });
    clip.loop = LoopForm::kClosed;
    ++clip.samples;
    if (clip.joints.empty()) return;
    const Transform start = local_at(clip.joints[0], 0);
    const Quat turn = from_axis_angle({0, 1, 0}, clip.travel.step_heading_rad);
    Transform root = start;
    root.t = start.t + rotate(start.r, clip.travel.step);
    root.r = nearest(start.r * turn, local_at(clip.joints[0], clip.samples - 2).r);
    store(clip.joints[0], clip.samples - 1, root);
}

}  // namespace mellow
