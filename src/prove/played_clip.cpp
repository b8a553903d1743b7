#include "prove/played_clip.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/at.h"
#include "mellow/clip.h"
#include "mellow/playback.h"
#include "model/lanes.h"

namespace mellow {
Finding unproven(const std::string& clip, std::string found, std::string expected) {
    return {Code::kProofFailed, Severity::kStop,     Place::of(fmt::format("clip \"{}\"", clip)),
            std::move(found),   std::move(expected), "this is a fault worth reporting"};
}

Result<PlayedClip> PlayedClip::make(const Scene& skin, const Scene& clip, const SamplePlan& plan) {
    const auto player = Playback::make(skin, clip);
    if (!player) return unproven(plan.clip, player.failure().found, player.failure().expected);
    PlayedClip out;
    out.skin_ = &skin;
    out.clip_ = &clip;
    out.clip_nodes_ = player.value().clip_nodes();
    out.order_ = parents_first(clip);
    out.skin_rest_ = rest_worlds(skin);
    out.moved_.resize(clip.nodes.size());
    out.rows_ = clip.nodes.size();
    for (const int node : out.clip_nodes_)
        out.row_of_.push_back(node != kNone ? at(node) : out.rows_++);
    if (Status tree = out.check_tree(); !tree) {
        Finding failure = tree.failure();
        failure.where = Place::of(fmt::format("clip \"{}\"", plan.clip));
        return failure;
    }
    MELLOW_CHECK(out.check_curves(plan));
    out.find_travel();
    for (const Channel& channel : clip.timelines[0].channels) {
        Moved& moved = out.moved_[at(channel.node)];
        if (channel.path == Path::kTranslation) moved.translation = &channel.curve;
        if (channel.path == Path::kRotation) moved.rotation = &channel.curve;
        if (channel.path == Path::kScale) moved.scale = &channel.curve;
    }
    return out;
}

/// An engine plays the locals of the clip on the tree of the skin: both must have the same one.
Status PlayedClip::check_tree() const {
    std::vector<int> skin_nodes(clip_->nodes.size(), kNone);
    for (std::size_t n = 0; n < clip_nodes_.size(); ++n)
        if (clip_nodes_[n] != kNone) skin_nodes[at(clip_nodes_[n])] = static_cast<int>(n);
    const auto name_of = [](const Scene& scene, int node) {
        return node == kNone ? std::string("nothing") : "\"" + scene.nodes[at(node)].name + "\"";
    };
    for (std::size_t n = 0; n < clip_nodes_.size(); ++n) {
        if (clip_nodes_[n] == kNone) continue;
        const int up = skin_->nodes[n].parent;
        const int wanted = up == kNone ? kNone : clip_nodes_[at(up)];
        const int got = clip_->nodes[at(clip_nodes_[n])].parent;
        if (wanted != got)
            return unproven(
                "",
                fmt::format("joint \"{}\" hangs on {}", skin_->nodes[n].name, name_of(*clip_, got)),
                name_of(*skin_, up) + ", as in the skin file");
    }
    return {};
}

void PlayedClip::find_travel() {
    const auto& scalars = timeline().scalars;
    travels_ = scalars.size() >= kTravelChannels.size();
    for (std::size_t c = 0; travels_ && c < kTravelChannels.size(); ++c)
        travels_ = scalars[scalars.size() - kTravelChannels.size() + c].name == kTravelChannels[c];
}

/// Every curve must have the same number of samples, on the grid of the rate, and be a line.
Status PlayedClip::check_curves(const SamplePlan& plan) {
    const auto check = [&](const Curve& curve) -> Status {
        const int n = static_cast<int>(curve.times.size());
        if (samples_ == 0) samples_ = n;
        const bool open = plan.loop && n == plan.samples - 1;
        if (n != samples_ || (n != plan.samples && !open))
            return unproven(plan.clip, fmt::format("{} samples", n),
                            fmt::format("{}", plan.samples));
        if (curve.interpolation != Interpolation::kLinear ||
            curve.values.size() != at(n) * at(curve.width))
            return unproven(plan.clip, "a curve that is not linear", "lines between samples");
        for (int k = 0; k < n; ++k)
            if (std::abs(curve.times[at(k)] - plan.rate.seconds(k)) >
                1e-6 + single_step(curve.times[at(k)]))
                return unproven(plan.clip, fmt::format("sample {} at {} s", k, curve.times[at(k)]),
                                fmt::format("{} s", plan.rate.seconds(k)));
        return {};
    };
    for (const Channel& channel : timeline().channels) MELLOW_CHECK(check(channel.curve));
    for (const MorphCurve& morph : timeline().morphs) MELLOW_CHECK(check(morph.curve));
    for (const ScalarCurve& scalar : timeline().scalars) MELLOW_CHECK(check(scalar.curve));
    return {};
}

std::vector<double> PlayedClip::make_rows() const {
    std::vector<double> rows(rows_ * JointTile::kWorldSize);
    // Nodes of the skin that no clip moves rest.
    for (std::size_t n = 0; n < skin_->nodes.size(); ++n)
        for (int f = 0; clip_nodes_[n] == kNone && f < kTileFrames; ++f)
            store_affine(&rows[row_of_[n] * JointTile::kWorldSize], f, skin_rest_[n]);
    return rows;
}

void PlayedClip::evaluate(int first, int count, std::vector<double>& rows) const {
    const auto vec = [](const Curve* curve, std::size_t k, Vec3 rest) -> Vec3 {
        if (curve == nullptr) return rest;
        return {curve->values[3 * k], curve->values[3 * k + 1], curve->values[3 * k + 2]};
    };
    const auto travelled = [&](std::size_t k) -> Affine {
        const ScalarCurve* channel = &timeline().scalars[scalars()];
        const double half = channel[3].curve.values[k] * std::numbers::pi / 360;
        return to_affine(
            {{channel[0].curve.values[k], channel[1].curve.values[k], channel[2].curve.values[k]},
             {0, std::sin(half), 0, std::cos(half)},
             {1, 1, 1}});
    };
    for (const int n : order_) {
        const Node& node = clip_->nodes[at(n)];
        const Moved& moved = moved_[at(n)];
        double* world = &rows[at(n) * JointTile::kWorldSize];
        const double* up =
            node.parent == kNone ? nullptr : &rows[at(node.parent) * JointTile::kWorldSize];
        for (int f = 0; f < kTileFrames; ++f) {
            const std::size_t k = at(first + std::min(f, count - 1));
            Transform local{vec(moved.translation, k, node.local.t), node.local.r,
                            vec(moved.scale, k, node.local.s)};
            if (moved.rotation != nullptr) {
                const KeyValues& q = moved.rotation->values;
                local.r = normalized(Quat{q[4 * k], q[4 * k + 1], q[4 * k + 2], q[4 * k + 3]});
            }
            Affine m = to_affine(local);
            if (up == nullptr && travels_) m = travelled(k) * m;
            store_affine(world, f, up == nullptr ? m : load_affine(up, f) * m);
        }
    }
}

WorldRows PlayedClip::world(const std::vector<double>& rows, int skin_node) const {
    return {&rows[row_of_[at(skin_node)] * JointTile::kWorldSize]};
}

const Curve& PlayedClip::weights(const std::string& mesh) const {
    // Playback::make() has made sure that it is there.
    return std::find_if(timeline().morphs.begin(), timeline().morphs.end(),
                        [&](const MorphCurve& m) { return m.mesh == mesh; })
        ->curve;
}

}  // namespace mellow
