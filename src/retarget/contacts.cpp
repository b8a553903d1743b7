#include "retarget/contacts.h"

#include <algorithm>
#include <cmath>

#include "base/at.h"
#include "retarget/two_bones.h"

namespace mellow {
namespace {

/// Of leg lengths, and of leg lengths a second.
constexpr double kStill = 0.10, kMoves = 0.20, kFlat = 0.03, kSame = 0.03;
constexpr double kLeast_s = 0.08, kStands_s = 0.15, kMostTilt_rad = 0.35;

std::vector<double> heights(const std::vector<Vec3>& places, Span span) {
    std::vector<double> out;
    for (int k = span.first; k <= span.last; ++k) out.push_back(places[at(k)].y);
    return out;
}

/// The lowest height at which feet stand for a while: the mean of the contacts near it.
double lowest_stand(const std::vector<std::pair<double, int>>& stands, int least, double near) {
    double lowest = 1e9;
    for (const auto& [height, samples] : stands)
        if (samples >= least) lowest = std::min(lowest, height);
    if (lowest > 1e8)
        for (const auto& [height, samples] : stands) lowest = std::min(lowest, height);
    double sum = 0, count = 0;
    for (const auto& [height, samples] : stands)
        if (height <= lowest + near) sum += height * samples, count += samples;
    return count > 0 ? sum / count : 0;
}

}  // namespace

Contacts find_contacts(const SourcePoses& poses, const BoundMap& map, double step) {
    Contacts out;
    const int least = std::max(2, static_cast<int>(std::lround(kLeast_s / step)));
    std::vector<std::pair<double, int>> ankles, balls;
    for (std::size_t f = 0; f < 2; ++f) {
        const CarriedLimb& leg = map.legs[f];
        FootContacts& foot = out.feet[f];
        foot.flat.assign(at(poses.samples), false);
        if (!leg.whole()) continue;
        const auto& ankle = poses.places[at(leg.its_foot)];
        const bool toes = leg.its_toe >= 0;
        const auto& ball = toes ? poses.places[at(leg.its_toe)] : ankle;
        foot.spans = low_spans(speeds_of(ball, step), kStill * leg.its_length,
                               kMoves * leg.its_length, 2, least);
        const std::vector<double> ankle_speeds = speeds_of(ankle, step);
        const auto stands =
            low_spans(ankle_speeds, kStill * leg.its_length, kMoves * leg.its_length, 2, least);
        for (const Span& span : foot.spans) {
            const std::vector<double> ys = heights(ankle, span);
            const double low = *std::min_element(ys.begin(), ys.end());
            for (const Span& s : stands)
                for (int k = std::max(s.first, span.first); k <= std::min(s.last, span.last); ++k)
                    foot.flat[at(k)] = ankle[at(k)].y < low + kFlat * leg.its_length;
            std::vector<double> flat;
            for (int k = span.first; k <= span.last; ++k)
                if (foot.flat[at(k)]) flat.push_back(ankle[at(k)].y);
            const int samples = span.last - span.first + 1;
            ankles.emplace_back(flat.empty() ? median(ys) : median(flat), samples);
            balls.emplace_back(median(heights(ball, span)), samples);
        }
    }
    const double leg = std::max(map.legs[0].its_length, map.legs[1].its_length);
    const int stands = static_cast<int>(std::lround(kStands_s / step));
    out.ankle_m = lowest_stand(ankles, stands, kSame * leg);
    out.ball_m = lowest_stand(balls, stands, kSame * leg);
    for (std::size_t f = 0; f < 2; ++f) {
        const CarriedLimb& limb = map.legs[f];
        if (!limb.whole() || limb.its_toe < 0) continue;
        std::array<std::vector<double>, 3> up;
        for (int k = 0; k < poses.samples; ++k) {
            const bool low =
                poses.place(limb.its_foot, k).y < out.ankle_m + kFlat * limb.its_length;
            if (!out.feet[f].flat[at(k)] || !low) continue;
            const Vec3 n = rotate(conjugate(poses.turn(limb.its_foot, k)), {0, 1, 0});
            up[0].push_back(n.x), up[1].push_back(n.y), up[2].push_back(n.z);
        }
        if (up[0].empty()) continue;
        const Vec3 sole = normalized({median(up[0]), median(up[1]), median(up[2])}, {0, 1, 0});
        out.feet[f].sole = sole;
        // What leans much is a foot on its tip.
        for (int k = 0; k < poses.samples; ++k) {
            const Vec3 n = rotate(poses.turn(limb.its_foot, k), sole);
            if (std::acos(std::clamp(n.y, -1.0, 1.0)) > kMostTilt_rad)
                out.feet[f].flat[at(k)] = false;
        }
    }
    return out;
}

std::optional<Vec3> belt_speed(const SourcePoses& poses, const BoundMap& map, double step) {
    if (!map.legs[0].whole() || !map.legs[1].whole() || poses.samples < 8) return {};
    std::vector<double> x, z;
    for (int k = 1; k + 1 < poses.samples; ++k) {
        int lowest = -1;
        for (const CarriedLimb& leg : map.legs)
            for (const int joint : {leg.its_foot, leg.its_toe})
                if (joint >= 0 &&
                    (lowest < 0 || poses.place(joint, k).y < poses.place(lowest, k).y))
                    lowest = joint;
        const Vec3 v = (poses.place(lowest, k + 1) - poses.place(lowest, k - 1)) * (0.5 / step);
        x.push_back(v.x), z.push_back(v.z);
    }
    const Vec3 speed{median(x), 0, median(z)};
    std::vector<double> off;
    for (std::size_t i = 0; i < x.size(); ++i)
        off.push_back(std::hypot(x[i] - speed.x, z[i] - speed.z));
    const double leg = map.legs[0].its_length, fast = length(speed);
    if (fast < 2 * kMoves * leg || median(off) > 0.1 * fast) return {};
    return speed;
}

}  // namespace mellow
