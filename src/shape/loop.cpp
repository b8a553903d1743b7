#include <algorithm>
#include <cmath>

#include "mellow/shape.h"

namespace mellow {
namespace {

/// Turn from one rotation to another as a vector along its axis, radians.
Vec3 turn_between(Quat a, Quat b) {
    const Quat d = conjugate(a) * nearest(b, a);
    const Vec3 v{d.x, d.y, d.z};
    const double s = length(v);
    return s > 1e-12 ? v * (2 * std::atan2(s, d.w) / s) : 2.0 * v;
}

/// Changes of speed from interval to interval, and over the seam from the last to the first.
void measure_speeds(const Clip& clip, const JointTrack& track, LoopGap& gap) {
    const double k = clip.rate.per_second();
    const int intervals = clip.samples - 1;
    Transform before = local_at(track, 0);
    Vec3 first_move, first_turn, last_move, last_turn;
    for (int i = 0; i < intervals; ++i) {
        const Transform next = local_at(track, i + 1);
        const Vec3 move = (next.t - before.t) * k, turn = turn_between(before.r, next.r) * k;
        if (i == 0)
            first_move = move, first_turn = turn;
        else
            gap.usual_speed_m_s = std::max(gap.usual_speed_m_s, length(move - last_move)),
            gap.usual_spin_rad_s = std::max(gap.usual_spin_rad_s, length(turn - last_turn));
        last_move = move, last_turn = turn, before = next;
    }
    gap.speed_m_s = std::max(gap.speed_m_s, length(first_move - last_move));
    gap.spin_rad_s = std::max(gap.spin_rad_s, length(first_turn - last_turn));
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
        const Vec3 d = a.s - b.s;
        gap.scale = std::max({gap.scale, std::abs(d.x), std::abs(d.y), std::abs(d.z)});
    }
    for (std::size_t j = 1; j < clip.joints.size() && clip.samples > 3; ++j)
        measure_speeds(clip, clip.joints[j], gap);
    for (const ScalarTrack& track : clip.scalars) {
        const double a = static_cast<double>(track.values.front()),
                     b = static_cast<double>(track.values.back());
        gap.scalar = std::max(gap.scalar, std::abs(a - b) / std::max(1.0, std::abs(a)));
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
    for_each_track(clip, [](std::vector<float>& values, std::size_t width) {
        values.resize(values.size() - width);
    });
    clip.loop = LoopForm::kOpen;
    --clip.samples;
}

void close_loop(Clip& clip) {
    if (clip.loop != LoopForm::kOpen) return;
    for_each_track(clip, [](std::vector<float>& values, std::size_t width) {
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
