#include "judge/clip_ends.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <span>

#include "base/at.h"
#include "base/text.h"
#include "math/degrees.h"
#include "mellow/shaping.h"
#include "shape/tile_poses.h"

namespace mellow {
namespace {

constexpr double kStillFrames = 6;                       // of the source
constexpr double kTooShort_s = 0.134;                    ///< four frames of a film
constexpr double kCloses_m = 1e-3, kCloses_rad = 0.005;  ///< nearer than eyes see
constexpr double kGoesOn_m_s = 0.25;  ///< slower joints may as well have come to rest

bool same(std::span<const float> values, std::size_t width, int a, int b) {
    const std::size_t i = at(a) * width, j = at(b) * width;
    for (std::size_t c = 0; c < width && std::max(i, j) + c < values.size(); ++c)
        if (std::abs(values[i + c] - values[j + c]) > 1e-6F) return false;
    return true;
}

/// True when nothing differs between two samples that a recipe calls a move.
bool still(const Clip& clip, const RecipeMotion& rules, int a, int b) {
    for (const JointTrack& t : clip.joints) {
        const Transform one = local_at(t, a), other = local_at(t, b);
        if (length(one.t - other.t) * 1000 > rules.still_mm ||
            angle_between(one.r, other.r) * kDegrees > rules.still_degrees ||
            !same(t.scale, 3, a, b))
            return false;
    }
    for (const MorphTrack& t : clip.morphs)
        if (!same(t.weights, t.targets.size(), a, b)) return false;
    for (const ScalarTrack& t : clip.scalars)
        if (!same(t.values, 1, a, b)) return false;
    return true;
}

/// Place of a joint at a sample, in the space of joint 0.
Vec3 place_at(const Clip& clip, const Skeleton& skeleton, int joint, int sample) {
    Affine world;
    for (int j = joint; j > 0; j = skeleton[j].parent)
        world = to_affine(local_at(clip.joints[at(j)], sample)) * world;
    return world.o;
}

/// A clip whose end stands still.
void still_tail(const Clip& clip, const RecipeClip& wanted, const RecipeMotion& rules,
                FrameRate source, Findings& out) {
    if (wanted.shaping.hold > 0) return;
    int last = clip.samples - 1;
    while (last > 0 && still(clip, rules, last - 1, clip.samples - 1)) --last;
    const double k = clip.rate.per_second(),
                 frames = (clip.samples - 1 - last) / k * source.per_second();
    if (last == 0 || frames < kStillFrames) return;
    const double end = static_cast<double>(wanted.range.last) - frames;
    out.push_back({Code::kStillTail, Severity::kWarning, wanted.range.where,
                   fmt::format("nothing moves in the last {:.2f} s", (clip.samples - 1 - last) / k),
                   "a range that ends where the motion ends",
                   wanted.shaped()
                       ? std::string("end the range of its last part earlier")
                       : fmt::format("end the range at {:.0f}", std::ceil(end - 1e-6))});
}

/// A clip that nobody called a loop, whose end is its beginning while it moves on.
void loop_unsaid(const Figure& figure, const Clip& clip, const RecipeClip& wanted, Findings& out) {
    if (wanted.range.loops() || clip.samples < 8) return;
    const Skeleton& skeleton = figure.skeleton();
    const LoopGap gap = loop_gap(clip, skeleton, figure.body());
    if (gap.distance_m > kCloses_m || gap.angle_rad > kCloses_rad || gap.weight > 0.01) return;
    const std::vector<bool> counts = figure.body();
    double speed = 0;
    for (int j = 1; j < skeleton.size(); ++j)
        if (counts[at(j)])
            speed = std::max(
                speed, length(place_at(clip, skeleton, j, 1) - place_at(clip, skeleton, j, 0)) *
                           clip.rate.per_second());
    if (speed < kGoesOn_m_s || gap.speed_m_s > 2 * gap.usual_speed_m_s) return;
    const std::vector<Edit> edits{{"", "loop", "true"}};
    out.push_back({Code::kLoopUnsaid, Severity::kNote, wanted.range.where,
                   "its last pose is its first, and it moves on there: it plays once", "",
                   edit_lines(edits, "in the clip, if it is to go round"), edits});
}

}  // namespace

Findings judge_ends(const Figure& figure, const Clip& clip, const RecipeClip& wanted,
                    const RecipeMotion& rules, FrameRate source) {
    Findings out;
    if (wanted.range.is_pose()) return out;
    still_tail(clip, wanted, rules, source, out);
    const double seconds = clip.rate.seconds(clip.samples - 1);
    if (seconds < kTooShort_s)
        out.push_back({Code::kTooShort, Severity::kNote, wanted.range.where,
                       fmt::format("it lasts {:.3f} s, {} intervals", seconds, clip.samples - 1),
                       "a clip long enough to be seen",
                       "a longer range; or pose = its frame, in place of range"});
    loop_unsaid(figure, clip, wanted, out);
    return out;
}

}  // namespace mellow
