// Where a range could loop; declared in shaping.h.
#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

#include "base/at.h"
#include "mellow/shaping.h"
#include "shape/ground_frame.h"

namespace mellow {
namespace {

/// Poses of one sample as one sees them, relative to the way of the hips; and that way.
struct Frame {
    std::vector<Transform> poses;
    Transform frame;
};

class LoopFinder {
  public:
    LoopFinder(const Clip& clip, const Skeleton& skeleton, int hips,
               const std::vector<bool>& counted)
        : clip_(clip), skeleton_(skeleton), hips_(hips), counted_(counted) {
        rest_ = skeleton.rest_worlds()[at(hips)];
        rest_turn_ = rotation_of(rest_);
        // The joint that carries the hips in the world, and all beside it.
        int top = hips;
        while (skeleton[top].parent >= 0 && skeleton[skeleton[top].parent].parent >= 0)
            top = skeleton[top].parent;
        carrier_ = skeleton[top].parent;
    }

    std::vector<LoopEnd> run(int shortest, std::size_t most, const std::function<bool(int)>& fits) {
        const Frame first = frame(0), second = frame(std::min(1, clip_.samples - 1));
        Frame before = frame(std::min(shortest, clip_.samples) - 1);
        std::vector<LoopEnd> all;
        for (int k = shortest; k < clip_.samples; ++k) {
            Frame now = frame(k);
            if (!fits || fits(k)) all.push_back(measure(k, first, second, before, now));
            before = std::move(now);
        }
        std::stable_sort(all.begin(), all.end(),
                         [](const LoopEnd& a, const LoopEnd& b) { return a.score < b.score; });
        std::vector<LoopEnd> best;
        const int apart = std::max(2, static_cast<int>(clip_.rate.per_second() / 8));
        for (const LoopEnd& end : all) {
            if (best.size() >= most) break;
            if (std::none_of(best.begin(), best.end(), [&](const LoopEnd& b) {
                    return std::abs(b.sample - end.sample) < apart;
                }))
                best.push_back(end);
        }
        return best;
    }

    LoopEnd ahead() const {
        const int n = clip_.samples;
        const std::array<Frame, 4> near{frame(n - 2), frame(n - 1), frame(1), frame(2)};
        const Frame first = frame(0);
        LoopEnd end;
        end.sample = n;
        for (std::size_t j = 0; j < first.poses.size(); ++j) {
            if (static_cast<int>(j) == carrier_) continue;
            // The cubic through values at -2, -1, 1 and 2, at 0.
            constexpr std::array kShare{-1 / 6.0, 4 / 6.0, 4 / 6.0, -1 / 6.0};
            const Transform& a = first.poses[j];
            Vec3 place;
            Quat turn{0, 0, 0, 0};
            for (std::size_t i = 0; i < 4; ++i) {
                const Transform& t = near[i].poses[j];
                place = place + kShare[i] * t.t;
                const Quat q = nearest(t.r, a.r);
                turn = {turn.x + kShare[i] * q.x, turn.y + kShare[i] * q.y,
                        turn.z + kShare[i] * q.z, turn.w + kShare[i] * q.w};
            }
            end.place_m = std::max(end.place_m, length(place - a.t));
            end.turn_rad = std::max(end.turn_rad, angle_between(normalized(turn), a.r));
        }
        end.score = score_of(end);
        return end;
    }

  private:
    double score_of(const LoopEnd& end) const {
        constexpr double kDegree = std::numbers::pi / 180;
        return end.place_m / 0.01 + end.turn_rad / kDegree +
               (end.speed_m_s / 0.01 + end.spin_rad_s / kDegree) / clip_.rate.per_second();
    }
    Affine hips_world(int sample) const {
        Affine world;
        for (int j = hips_; j >= 0; j = skeleton_[j].parent)
            world = to_affine(local_at(clip_.joints[at(j)], sample)) * world;
        return world;
    }

    Frame frame(int sample) const {
        Frame out;
        out.frame = ground_frame_of(hips_world(sample), rest_, rest_turn_, true, true, false);
        const Transform off = back(out.frame);
        for (int j = 0; j < skeleton_.size(); ++j) {
            const Transform local = local_at(clip_.joints[at(j)], sample);
            const int up = skeleton_[j].parent;
            const Transform above = up < 0 ? off : out.poses[at(up)];
            out.poses.push_back({above.t + rotate(above.r, above.s * local.t), above.r * local.r,
                                 above.s * local.s});
        }
        return out;
    }

    /// Speeds are that with which the sample is reached, and that with which the first is left.
    LoopEnd measure(int sample, const Frame& first, const Frame& second, const Frame& before,
                    const Frame& now) const {
        LoopEnd end;
        end.sample = sample;
        const double rate = clip_.rate.per_second();
        for (std::size_t j = 0; j < first.poses.size(); ++j) {
            if (static_cast<int>(j) == carrier_) continue;  // it carries travel alone
            if (!counted_.empty() && !counted_[j]) continue;
            const Transform &a = first.poses[j], &b = second.poses[j], &c = before.poses[j],
                            &d = now.poses[j];
            end.place_m = std::max(end.place_m, length(d.t - a.t));
            end.turn_rad = std::max(end.turn_rad, angle_between(a.r, d.r));
            end.speed_m_s = std::max(end.speed_m_s, length((d.t - c.t) - (b.t - a.t)) * rate);
            end.spin_rad_s = std::max(
                end.spin_rad_s, angle_between(conjugate(a.r) * b.r, conjugate(c.r) * d.r) * rate);
        }
        const Transform step = after(back(first.frame), second.frame),
                        later = after(back(before.frame), now.frame);
        end.speed_m_s = std::max(end.speed_m_s, length(later.t - step.t) * rate);
        end.spin_rad_s = std::max(end.spin_rad_s, angle_between(step.r, later.r) * rate);
        end.score = score_of(end);
        return end;
    }

    const Clip& clip_;
    const Skeleton& skeleton_;
    int hips_, carrier_ = -1;
    const std::vector<bool>& counted_;
    Affine rest_;
    Quat rest_turn_;
};

}  // namespace

std::vector<LoopEnd> find_loop_ends(const Clip& clip, const Skeleton& skeleton, int hips,
                                    int shortest, std::size_t most,
                                    const std::vector<bool>& counted,
                                    const std::function<bool(int)>& fits) {
    if (clip.samples < 3) return {};
    return LoopFinder(clip, skeleton, hips, counted).run(std::max(1, shortest), most, fits);
}

LoopEnd open_loop_end(const Clip& clip, const Skeleton& skeleton, int hips) {
    return LoopFinder(clip, skeleton, hips, {}).ahead();
}

}  // namespace mellow
