#include "one/draft_motion.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>
#include <tuple>

#include "math/degrees.h"
#include "mellow/shape.h"
#include "mellow/shaping.h"

namespace mellow {
namespace {

constexpr double kLoops_m = 5e-3, kLoops_rad = 2 / kDegrees, kStill_m_s = 0.01;

}  // namespace

void carry_loop(ClipDraft& clip, const ClipDrift& carried) {
    if (!clip.loop) return;
    const bool ground = carried.drift.ground_m > kLoops_m,
               height = carried.drift.climb_m > kLoops_m,
               heading =
                   std::abs(std::remainder(carried.turned, 2 * std::numbers::pi)) > kLoops_rad;
    const TravelParts before = clip.travel;
    clip.travel.ground |= ground, clip.travel.height |= height, clip.travel.heading |= heading;
    const TravelParts& now = clip.travel;
    if (std::tie(before.ground, before.height, before.heading) ==
        std::tie(now.ground, now.height, now.heading))
        return;
    clip.travels += clip.travels.empty() ? "" : "; the loop closes with it alone";
    if (carried.figure) return;
    clip.loop = clip.open = false;  // what is no figure carries nothing
    clip.travel = before;
    clip.looped = "";
}

void find_loop(const Clip& clip, const Skeleton& skeleton, int hips, FrameRate rate,
               ClipDraft& out) {
    if (clip.samples < 8) return;
    const auto closed = [](const LoopEnd& e) {
        return e.place_m < kLoops_m && e.turn_rad < kLoops_rad;
    };
    const auto ends = find_loop_ends(clip, skeleton, hips, clip.samples - 1, 1);
    const auto end_words = [&](const LoopEnd& e) {
        const auto small = [](double v) { return v < 5e-4 ? 0 : v; };
        return fmt::format("{:.2g} mm and {:.2g} degrees", small(e.place_m * 1000),
                           small(e.turn_rad * kDegrees));
    };
    // Of slow loops one step is as small: what they lead to tells them apart.
    const LoopEnd open = open_loop_end(clip, skeleton, hips);
    const bool leads_on =
        closed(open) && !ends.empty() && open.score < 0.5 * ends[0].score && ends[0].score > 0.05;
    if (!ends.empty() && closed(ends[0]) && !leads_on) {
        // Poses that are left and reached at rest may as well be those of something done once.
        double fastest = 0;
        for (const JointTrack& track : clip.joints) {
            const Transform x = local_at(track, 0), y = local_at(track, 1);
            fastest = std::max(
                fastest, (length(y.t - x.t) + 0.2 * angle_between(x.r, y.r)) * rate.per_second());
        }
        out.loop = fastest > kStill_m_s;
        out.looped = fmt::format("it ends {} from where it begins", end_words(ends[0]));
        out.loop_guess = !out.loop;
        if (!out.loop) out.looped += ", at rest: true if it goes round";
        return;
    }
    if (leads_on) {
        out.loop = out.open = out.loop_guess = true;
        out.looped = fmt::format(
            "its first frame goes on where its last one leads, to {}: the frame that repeats "
            "the first was left away",
            end_words(open));
        return;
    }
    const auto inner = find_loop_ends(clip, skeleton, hips, clip.samples / 2, 1);
    if (!inner.empty() && closed(inner[0]))
        out.looped = fmt::format("range = [{}, {}] would loop, to {}", out.first,
                                 out.first + inner[0].sample, end_words(inner[0]));
}

}  // namespace mellow
