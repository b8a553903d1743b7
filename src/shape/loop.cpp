#include <algorithm>
#include <cmath>

#include "base/at.h"
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

/// Metres or radians that no joint is named for.
constexpr double kNothing = 1e-6;

/// Poses of all joints in the space of the root, by sample.
using Poses = std::vector<std::vector<Transform>>;
Poses poses_of(const Clip& clip, const Skeleton& skeleton) {
    Poses out(at(skeleton.size()), std::vector<Transform>(at(clip.samples)));
    for (int j = 1; j < skeleton.size(); ++j)
        for (int k = 0; k < clip.samples; ++k) {
            const int up = skeleton[j].parent;
            const Transform local = local_at(clip.joints[at(j)], k),
                            above = up > 0 ? out[at(up)][at(k)] : Transform{};
            out[at(j)][at(k)] = {above.t + rotate(above.r, above.s * local.t), above.r * local.r,
                                 above.s * local.s};
        }
    return out;
}

/// Changes of speed from interval to interval, and over the seam from the last to the first.
void measure_speeds(const std::vector<Transform>& poses, double rate, LoopGap& gap) {
    const std::size_t intervals = poses.size() - 1;
    Vec3 first_move, first_turn, last_move, last_turn;
    for (std::size_t i = 0; i < intervals; ++i) {
        const Vec3 move = (poses[i + 1].t - poses[i].t) * rate,
                   turn = turn_between(poses[i].r, poses[i + 1].r) * rate;
        if (i == 0)
            first_move = move, first_turn = turn;
        else
            gap.usual_speed_m_s = std::max(gap.usual_speed_m_s, length(move - last_move)),
            gap.usual_spin_rad_s = std::max(gap.usual_spin_rad_s, length(turn - last_turn));
        last_move = move, last_turn = turn;
    }
    gap.speed_m_s = std::max(gap.speed_m_s, length(first_move - last_move));
    gap.spin_rad_s = std::max(gap.spin_rad_s, length(first_turn - last_turn));
}

}  // namespace

LoopGap loop_gap(const Clip& clip, const Skeleton& skeleton, const std::vector<bool>& counted) {
    LoopGap gap;
    const Poses poses = poses_of(clip, skeleton);
    for (int j = 1; j < skeleton.size(); ++j) {
        if (!counted.empty() && !counted[at(j)]) continue;
        const Transform &a = poses[at(j)].front(), &b = poses[at(j)].back();
        const double far = length(a.t - b.t), angle = angle_between(a.r, b.r);
        if (far > gap.distance_m) gap.distance_m = far, gap.joint = far > kNothing ? j : -1;
        if (angle > gap.angle_rad) gap.angle_rad = angle, gap.turned = angle > kNothing ? j : -1;
        const JointTrack& track = clip.joints[at(j)];
        const Vec3 d = local_at(track, 0).s - local_at(track, clip.samples - 1).s;
        gap.scale = std::max({gap.scale, std::abs(d.x), std::abs(d.y), std::abs(d.z)});
        if (clip.samples > 3) measure_speeds(poses[at(j)], clip.rate.per_second(), gap);
    }
    // Channels of travel, the last ones, go on as the root would.
    const std::size_t own =
        clip.scalars.size() - (clip.travel.channels ? kTravelChannels.size() : 0);
    for (std::size_t i = 0; i < own; ++i) {
        const ScalarTrack& track = clip.scalars[i];
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
