#include "play/played_motion.h"

#include <algorithm>
#include <cmath>
#include <map>

#include "base/at.h"
#include "math/degrees.h"

namespace mellow {
namespace {

constexpr Vec3 kUp{0, 1, 0};

Vec3 on_line(Vec3 a, Vec3 b, double w) { return a + (b - a) * w; }

}  // namespace

Transform joined(const Transform& a, const Transform& b) {
    return {a.t + rotate(a.r, b.t), normalized(a.r * b.r), {1, 1, 1}};
}

Transform undone(const Transform& a) {
    const Quat r = conjugate(a.r);
    return {Vec3{} - rotate(r, a.t), r, {1, 1, 1}};
}

Transform mixed(const Transform& a, const Transform& b, double w) {
    return {on_line(a.t, b.t, w), slerp(a.r, b.r, w), on_line(a.s, b.s, w)};
}

PlayedMotion::PlayedMotion(const ClipInfo& facts, const Scene& motion, const Scene& skin, int root)
    : facts_(facts), skin_(skin), root_(root), seconds_(facts.seconds()) {
    std::vector<double> seconds;
    for (int k = 0; k < facts_.samples; ++k) seconds.push_back(facts_.rate.seconds(k));
    std::map<int, std::size_t> places;
    std::vector<double> values;
    for (const Timeline& timeline : motion.timelines) {
        for (const Channel& channel : timeline.channels) {
            if (channel.path == Path::kWeights) continue;
            const int node = find_node(skin, motion.nodes[at(channel.node)].name);
            if (node == kNone) continue;
            const auto [place, fresh] = places.try_emplace(node, moved_.size());
            if (fresh)
                moved_.push_back(
                    {node, std::vector<Transform>(seconds.size(), skin.nodes[at(node)].local)});
            const bool turn = channel.path == Path::kRotation;
            const std::size_t width = turn ? 4 : 3;
            values.resize(width * seconds.size());
            sample(channel.curve, turn, seconds, values.data());
            for (std::size_t k = 0; k < seconds.size(); ++k) {
                Transform& t = moved_[place->second].samples[k];
                const double* v = &values[k * width];
                if (turn)
                    t.r = {v[0], v[1], v[2], v[3]};
                else
                    (channel.path == Path::kTranslation ? t.t : t.s) = {v[0], v[1], v[2]};
            }
        }
        if (!facts_.travel.channels) continue;
        channels_.resize(seconds.size());
        std::vector<double> turns(seconds.size(), 0);
        for (const ScalarCurve& scalar : timeline.scalars)
            for (std::size_t c = 0; c < kTravelChannels.size(); ++c) {
                if (scalar.name != kTravelChannels[c]) continue;
                values.resize(seconds.size());
                sample(scalar.curve, false, seconds, values.data());
                for (std::size_t k = 0; k < seconds.size(); ++k) {
                    Vec3& place = channels_[k].t;
                    (c == 0 ? place.x : c == 1 ? place.y : c == 2 ? place.z : turns[k]) = values[k];
                }
            }
        for (std::size_t k = 0; k < seconds.size(); ++k)
            channels_[k].r = from_axis_angle(kUp, turns[k] / kDegrees);
    }
    // S F(0) = F(end); the manifest says what one round adds to where it began.
    const Travel& travel = facts_.travel;
    const Transform once{travel.step, from_axis_angle(kUp, travel.step_heading_rad), {1, 1, 1}};
    const Transform first = travelled(0);
    step_ = joined(joined(first, once), undone(first));
}

/// Between samples; a loop that is stored without its last sample goes over into its first.
Transform PlayedMotion::local(std::size_t moved, double second) const {
    const std::vector<Transform>& samples = moved_[moved].samples;
    const double k =
        std::clamp(second * facts_.rate.per_second(), 0.0, static_cast<double>(facts_.period));
    const auto i = std::min(static_cast<std::size_t>(k), samples.size() - 1);
    const double w = k - static_cast<double>(i);
    if (w <= 0) return samples[i];
    if (i + 1 < samples.size()) return mixed(samples[i], samples[i + 1], w);
    Transform next = samples[0];
    if (moved_[moved].node == root_ && channels_.empty()) {
        const Transform root = joined(step_, {next.t, next.r, {1, 1, 1}});
        next.t = root.t, next.r = root.r;
    }
    return mixed(samples[i], next, w);
}

Transform PlayedMotion::root_at(double second) const {
    for (std::size_t m = 0; m < moved_.size(); ++m)
        if (moved_[m].node == root_) return local(m, second);
    return skin_.nodes[at(root_)].local;
}

Transform PlayedMotion::travel_of(const Transform& root) const {
    const Transform& rest = skin_.nodes[at(root_)].local;
    const Travel& travel = facts_.travel;
    Transform out;
    if (travel.heading) {
        const Quat turn = root.r * conjugate(rest.r);
        if (turn.y * turn.y + turn.w * turn.w > 1e-6)
            out.r = from_axis_angle(kUp, twist_angle(turn, kUp));
    }
    const Vec3 place = root.t - rotate(out.r, rest.t);
    if (travel.ground) out.t.x = place.x, out.t.z = place.z;
    if (travel.height) out.t.y = place.y;
    return out;
}

Transform PlayedMotion::travelled(double second) const {
    if (channels_.empty()) return travel_of(root_at(second));
    const double k =
        std::clamp(second * facts_.rate.per_second(), 0.0, static_cast<double>(facts_.period));
    const auto i = std::min(static_cast<std::size_t>(k), channels_.size() - 1);
    const double w = k - static_cast<double>(i);
    if (w <= 0) return channels_[i];
    return mixed(channels_[i],
                 i + 1 < channels_.size() ? channels_[i + 1] : joined(step_, channels_[0]), w);
}

void PlayedMotion::pose(double second, std::vector<Transform>& out) const {
    out.resize(skin_.nodes.size());
    for (std::size_t n = 0; n < out.size(); ++n) out[n] = skin_.nodes[n].local;
    for (std::size_t m = 0; m < moved_.size(); ++m) out[at(moved_[m].node)] = local(m, second);
    if (!channels_.empty()) return;
    Transform& root = out[at(root_)];
    const Vec3 size = root.s;
    root = joined(undone(travel_of(root)), {root.t, root.r, {1, 1, 1}});
    root.s = size;
}

Vec3 PlayedMotion::seam() const {
    if (facts_.loop == LoopForm::kOpen) return {};  // it goes over into its first sample
    std::vector<Transform> first, last;
    pose(0, first);
    pose(seconds_, last);
    std::vector<Affine> a(first.size()), b(first.size());
    Vec3 far;
    for (const int n : parents_first(skin_)) {
        const int up = skin_.nodes[at(n)].parent;
        a[at(n)] = to_affine(first[at(n)]), b[at(n)] = to_affine(last[at(n)]);
        if (up != kNone) a[at(n)] = a[at(up)] * a[at(n)], b[at(n)] = b[at(up)] * b[at(n)];
        const Vec3 apart = b[at(n)].o - a[at(n)].o;
        if (length(apart) > length(far)) far = apart;
    }
    return far;
}

}  // namespace mellow
