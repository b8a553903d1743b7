#include "retarget/keep_feet.h"

#include <algorithm>
#include <cmath>

#include "base/at.h"
#include "retarget/two_bones.h"

namespace mellow {
namespace {

constexpr double kEase_s = 0.5, kShift_s = 0.2, kLower_s = 0.1;
constexpr double kReach = 0.99;        ///< of a leg's length: beyond it knees jump
constexpr double kNearGround = 0.06;   ///< of the motion's leg length
constexpr double kMostLowered = 0.25;  ///< of a leg's length

/// The largest but for one in a thousand.
double nearly_most(std::vector<double> values) {
    if (values.empty()) return 0;
    std::sort(values.begin(), values.end());
    return values[static_cast<std::size_t>(0.999 * static_cast<double>(values.size() - 1))];
}

class FootKeeper {
  public:
    FootKeeper(FigurePoses& poses, const SourcePoses& source, const BoundMap& map,
               const Contacts& contacts, double ground_m, double step, Span counted,
               CarryReport& report)
        : poses_(poses),
          source_(source),
          map_(map),
          contacts_(contacts),
          ground_(ground_m),
          step_(step),
          counted_(counted),
          report_(report) {}

    void run() {
        for (std::size_t f = 0; f < 2; ++f)
            if (map_.legs[f].whole()) flatten(f);
        for (int k = 0; k < poses_.samples(); ++k) poses_.lay(k);
        for (std::size_t f = 0; f < 2; ++f)
            if (map_.legs[f].whole()) pin(f);
        shift_hips();
        lower_hips();
        solve();
        measure();
    }

  private:
    int samples(double seconds) const {
        return std::max(1, static_cast<int>(std::lround(seconds / step_)));
    }
    bool counts(int k) const { return k >= counted_.first && k <= counted_.last; }
    /// Of a round, one that goes on over its end is counted once; so is one that never ends.
    bool begins_within(const Span& span) const {
        const bool round = counted_.first > 0;
        return (counts(span.first) && !(round && span.first == counted_.first)) ||
               (span.first <= counted_.first && span.last >= counted_.last);
    }
    static int ball(const CarriedLimb& leg) { return leg.toe >= 0 ? leg.toe : leg.foot; }

    /// Turns feet that lie on their soles in the motion until theirs lie on the ground.
    void flatten(std::size_t f) {
        const CarriedLimb& leg = map_.legs[f];
        const FootContacts& foot = contacts_.feet[f];
        if (!foot.sole) return;
        std::vector<Vec3> turns(at(poses_.samples()));
        std::vector<Span> spans;
        for (int k = 0; k < poses_.samples(); ++k) {
            if (!foot.flat[at(k)]) continue;
            if (spans.empty() || spans.back().last != k - 1) spans.push_back({k, k});
            spans.back().last = k;
            turns[at(k)] =
                turn_vector(swing(rotate(poses_.since_rest(leg.foot, k), {0, 1, 0}), {0, 1, 0}));
        }
        ease_between(spans, samples(kEase_s), turns);
        for (int k = 0; k < poses_.samples(); ++k) {
            const Quat turn = turn_of(turns[at(k)]);
            poses_.turn(leg.foot, k) = normalized(turn * poses_.turn(leg.foot, k));
            if (leg.toe >= 0) poses_.turn(leg.toe, k) = normalized(turn * poses_.turn(leg.toe, k));
        }
    }

    /// Height of the lowest point of a sole: below the ankle, or below the ball.
    double lowest(const CarriedLimb& leg, int k) const {
        const auto& rest = poses_.rest_places();
        double low = 1e9;
        for (const int joint : {leg.foot, ball(leg)}) {
            const Vec3 down{0, ground_ - rest[at(joint)].y, 0};
            low = std::min(low,
                           (poses_.place(joint, k) + rotate(poses_.since_rest(joint, k), down)).y);
        }
        return low;
    }

    /// Where each contact stands, and by how much its foot has to go there.
    void pin(std::size_t f) {
        const CarriedLimb& leg = map_.legs[f];
        std::vector<Vec3>& moved = moved_[f];
        moved.assign(at(poses_.samples()), {});
        for (const Span& span : contacts_.feet[f].spans) {
            const int quarter = (span.last - span.first) / 4;
            std::vector<double> heights, lows, above;
            Vec3 mean;
            for (int k = span.first + quarter; k <= span.last - quarter; ++k)
                mean = mean + poses_.place(ball(leg), k);
            mean = mean * (1.0 / (span.last - span.first + 1 - 2 * quarter));
            for (int k = span.first; k <= span.last; ++k) {
                heights.push_back(poses_.place(ball(leg), k).y);
                lows.push_back(lowest(leg, k));
                const double ankle = source_.place(leg.its_foot, k).y - contacts_.ankle_m;
                above.push_back(leg.its_toe < 0 ? ankle
                                                : std::min(ankle, source_.place(leg.its_toe, k).y -
                                                                      contacts_.ball_m));
            }
            const bool grounded = std::abs(median(above)) < kNearGround * leg.its_length;
            mean.y = median(heights) + (grounded ? ground_ - median(lows) : 0);
            for (int k = span.first; k <= span.last; ++k) {
                moved[at(k)] = mean - poses_.place(ball(leg), k);
                if (counts(k)) {
                    Vec3 over = moved[at(k)];
                    over.y = 0;
                    report_.slide_before_mm =
                        std::max(report_.slide_before_mm, 1000 * length(over));
                }
            }
            pins_[f].push_back(mean);
            report_.contacts += begins_within(span) ? 1 : 0;
        }
        ease_between(contacts_.feet[f].spans, samples(kEase_s), moved);
        for (int k = 0; k < poses_.samples(); ++k)
            goals_[f].push_back(poses_.place(leg.foot, k) + moved[at(k)]);
    }

    /// Half of what both feet need is done by the hips, smoothly.
    void shift_hips() {
        std::vector<double> x(at(poses_.samples()), 0), z = x;
        for (int k = 0; k < poses_.samples(); ++k)
            for (std::size_t f = 0; f < 2; ++f)
                if (map_.legs[f].whole())
                    x[at(k)] += moved_[f][at(k)].x / 2, z[at(k)] += moved_[f][at(k)].z / 2;
        smooth(x, samples(kShift_s));
        smooth(z, samples(kShift_s));
        for (int k = 0; k < poses_.samples(); ++k) {
            Vec3& hips = poses_.place(map_.hips, k);
            hips = hips + Vec3{x[at(k)], 0, z[at(k)]};
        }
    }

    /// Hips go down where a leg is too short, before it is stretched; never below what is needed.
    void lower_hips() {
        std::vector<double> need(at(poses_.samples()), 0);
        for (int k = 0; k < poses_.samples(); ++k) {
            std::array<double, 2> before{};
            for (std::size_t f = 0; f < 2; ++f)
                if (map_.legs[f].whole())
                    before[f] = length(poses_.place(map_.legs[f].foot, k) -
                                       poses_.place(map_.legs[f].thigh, k));
            poses_.lay(k);
            for (std::size_t f = 0; f < 2; ++f) {
                const CarriedLimb& leg = map_.legs[f];
                if (!leg.whole()) continue;
                const double reach = std::clamp(before[f] / leg.length, kReach, 1.0) * leg.length;
                const Vec3 way = poses_.place(leg.thigh, k) - goals_[f][at(k)];
                if (length(way) <= reach) continue;
                const double left = reach * reach - way.x * way.x - way.z * way.z;
                const double down = way.y - std::sqrt(std::max(0.0, left));
                need[at(k)] = std::max(need[at(k)], std::min(down, kMostLowered * leg.length));
            }
        }
        const int reach = samples(kLower_s);
        std::vector<double> lowered = running_most(need, 2 * reach);
        smooth(lowered, reach);
        for (int k = 0; k < poses_.samples(); ++k) {
            poses_.place(map_.hips, k).y -= lowered[at(k)];
            poses_.lay(k);
            if (!counts(k)) continue;
            report_.lowered_mm = std::max(report_.lowered_mm, 1000 * lowered[at(k)]);
            report_.lowered_mean_mm += 1000 * lowered[at(k)] / (counted_.last - counted_.first + 1);
        }
    }

    void solve() {
        for (int k = 0; k < poses_.samples(); ++k) {
            bool reached = true;
            const Vec3 ahead = rotate(source_.turn(map_.its_hips, k), map_.ahead);
            for (std::size_t f = 0; f < 2; ++f) {
                const CarriedLimb& leg = map_.legs[f];
                if (!leg.whole()) continue;
                const Vec3 foot = poses_.place(leg.foot, k), goal = goals_[f][at(k)];
                if (length(foot - goal) < 1e-13) continue;
                const LimbTurns turns = reach_for(poses_.place(leg.thigh, k),
                                                  poses_.place(leg.shin, k), foot, goal, ahead);
                reached = reached && turns.reached;
                poses_.turn(leg.thigh, k) = normalized(turns.upper * poses_.turn(leg.thigh, k));
                poses_.turn(leg.shin, k) = normalized(turns.lower * poses_.turn(leg.shin, k));
            }
            poses_.lay(k);
            if (counts(k) && !reached) ++report_.out_of_reach;
        }
    }

    void measure() {
        std::vector<double> own, its;
        for (std::size_t f = 0; f < 2; ++f) {
            const CarriedLimb& leg = map_.legs[f];
            if (!leg.whole()) continue;
            for (std::size_t s = 0; s < contacts_.feet[f].spans.size(); ++s) {
                const Span& span = contacts_.feet[f].spans[s];
                for (int k = span.first; k <= span.last; ++k)
                    if (counts(k))
                        report_.slide_mm =
                            std::max(report_.slide_mm,
                                     1000 * length(poses_.place(ball(leg), k) - pins_[f][s]));
            }
            knees(f, own, its);
        }
        const double of_its = nearly_most(its);
        // A tenth of a degree a sample and sample is nobody's jump.
        report_.knee_ratio = nearly_most(own) / std::max(of_its, 0.0017);
    }

    template <class Poses>
    static double knee(const Poses& poses, int thigh, int shin, int foot, int k) {
        const Vec3 u = poses.place(shin, k) - poses.place(thigh, k),
                   v = poses.place(foot, k) - poses.place(shin, k);
        return std::atan2(length(cross(u, v)), dot(u, v));
    }

    void knees(std::size_t f, std::vector<double>& own, std::vector<double>& its) const {
        const CarriedLimb& leg = map_.legs[f];
        const auto bent = [&](auto& out, const auto& poses, int thigh, int shin, int foot) {
            // As at 30 a second, whatever the rate is.
            const int apart = samples(1.0 / 30);
            for (int k = counted_.first + apart; k + apart <= counted_.last; ++k)
                out.push_back(std::abs(knee(poses, thigh, shin, foot, k - apart) -
                                       2 * knee(poses, thigh, shin, foot, k) +
                                       knee(poses, thigh, shin, foot, k + apart)));
        };
        bent(own, poses_, leg.thigh, leg.shin, leg.foot);
        bent(its, source_, leg.its_thigh, leg.its_shin, leg.its_foot);
    }

    FigurePoses& poses_;
    const SourcePoses& source_;
    const BoundMap& map_;
    const Contacts& contacts_;
    const double ground_, step_;
    const Span counted_;
    CarryReport& report_;
    std::array<std::vector<Vec3>, 2> moved_, goals_, pins_;
};

}  // namespace

void keep_feet(FigurePoses& poses, const SourcePoses& source, const BoundMap& map,
               const Contacts& contacts, double ground_m, double step, Span counted,
               CarryReport& report) {
    FootKeeper(poses, source, map, contacts, ground_m, step, counted, report).run();
}

void keep_hands(FigurePoses& poses, const SourcePoses& source, const BoundMap& map) {
    const CarriedLimb &left = map.arms[0], &right = map.arms[1];
    if (!left.whole() || !right.whole()) return;
    const double ratio = (left.length + right.length) / (left.its_length + right.its_length);
    const double arm = left.its_length;
    for (int k = 0; k < poses.samples(); ++k) {
        const Vec3 way = source.place(left.its_foot, k) - source.place(right.its_foot, k);
        const double near = std::clamp((1.1 * arm - length(way)) / (0.75 * arm), 0.0, 1.0);
        const double share = near * near * (3 - 2 * near);
        if (share <= 0) continue;
        const Vec3 off =
            (way * ratio - (poses.place(left.foot, k) - poses.place(right.foot, k))) * share;
        if (length(off) < 1e-12) continue;
        const Vec3 behind = -rotate(source.turn(map.its_hips, k), map.ahead);
        for (const CarriedLimb* one : {&left, &right}) {
            const Vec3 hand = poses.place(one->foot, k);
            const LimbTurns turns =
                reach_for(poses.place(one->thigh, k), poses.place(one->shin, k), hand,
                          hand + off * (one == &left ? 0.5 : -0.5), behind);
            poses.turn(one->thigh, k) = normalized(turns.upper * poses.turn(one->thigh, k));
            poses.turn(one->shin, k) = normalized(turns.lower * poses.turn(one->shin, k));
        }
        poses.lay(k);
    }
}

}  // namespace mellow
