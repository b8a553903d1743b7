// Closing the gap of a loop; declared in shaping.h.
#include <algorithm>
#include <array>
#include <cmath>

#include "mellow/shaping.h"
#include "shape/ground_frame.h"
#include "shape/tile_poses.h"

namespace mellow {
namespace {

/// What a joint's local pose lacks at the end.
struct Gap {
    Vec3 place, size;
    Quat turn;
};

class RepairedMotion final : public Take::Motion {
  public:
    RepairedMotion(const ShapedTake& shaped, const LoopRepair& repair, RootKind root)
        : inner_(shaped.take),
          repair_(repair),
          end_(shaped.seconds),
          span_(repair.span > 0 ? std::min(repair.span, shaped.seconds) : shaped.seconds),
          top_(top_joints(inner_.skeleton, root)),
          hips_rest_(inner_.skeleton.rest_worlds()[at(repair.hips)]),
          hips_turn_(rotation_of(hips_rest_)) {
        InnerTile inner;
        const JointTile& tile = inner.evaluate(inner_, std::array{0.0, end_}, Take::Want::kLocals);
        const Transform first = frame(tile, 0), last = frame(tile, 1);
        for (int j = 0; j < inner_.skeleton.size(); ++j) {
            const Transform a = relative(first, load_local(tile.local(j), 0), j),
                            b = relative(last, load_local(tile.local(j), 1), j);
            gaps_.push_back({a.t - b.t, a.s - b.s, conjugate(b.r) * a.r});
        }
        for (int i = 0; i < scalars_of(inner_); ++i)
            scalar_gaps_.push_back(tile.scalar(i)[0] - tile.scalar(i)[1]);
    }

    const std::vector<Gap>& gaps() const { return gaps_; }

    JointTile make_tile() const override { return tile_made_of(inner_); }

    void evaluate(std::span<const double> seconds, Take::Want want,
                  JointTile& tile) const override {
        auto& work = static_cast<MadeOfOne&>(*tile.work);
        const JointTile& inner = work.inner.evaluate(inner_, seconds, Take::Want::kLocals);
        std::array<double, kTileFrames> weight{};
        for (std::size_t f = 0; f < kTileFrames; ++f) {
            const double t = seconds[std::min(f, seconds.size() - 1)];
            const double u = std::clamp((t - (end_ - span_)) / span_, 0.0, 1.0);
            weight[f] = repair_.even ? u : u * u * (3 - 2 * u);
        }
        std::array<Transform, kTileFrames> frames;
        for (int f = 0; f < kTileFrames; ++f) frames[at(f)] = frame(inner, f);
        for (int j = 0; j < inner_.skeleton.size(); ++j) {
            double* own = tile.own_local(j);
            tile.no_shear(j);
            for (int f = 0; f < kTileFrames; ++f)
                store_local(own, f,
                            closed(load_local(inner.local(j), f), j, frames[at(f)], weight[at(f)]));
        }
        for (std::size_t i = 0; i < scalar_gaps_.size(); ++i) {
            double* own = tile.own_scalar(static_cast<int>(i));
            const double* from = inner.scalar(static_cast<int>(i));
            for (std::size_t f = 0; f < kTileFrames; ++f)
                own[f] = from[f] + weight[f] * scalar_gaps_[i];
        }
        if (want == Take::Want::kWorlds) put_all_worlds(inner_, seconds, work, tile);
    }

  private:
    /// Where the way of the hips has led to.
    Transform frame(const JointTile& tile, int lane) const {
        if (!repair_.ground && !repair_.heading) return {};
        return ground_frame_of(world_in(inner_.skeleton, tile, repair_.hips, lane), hips_rest_,
                               hips_turn_, repair_.ground, repair_.heading, false);
    }

    Transform relative(const Transform& frame, const Transform& local, int joint) const {
        if (!top_[at(joint)]) return local;
        const Transform off = back(frame);
        return {off.t + rotate(off.r, local.t), off.r * local.r, local.s};
    }

    Transform closed(const Transform& local, int joint, const Transform& frame,
                     double weight) const {
        if (weight == 0) return local;
        const Gap& gap = gaps_[at(joint)];
        Transform t = relative(frame, local, joint);
        t.t = t.t + weight * gap.place;
        t.r = normalized(t.r * slerp({}, gap.turn, weight));
        t.s = t.s + weight * gap.size;
        if (top_[at(joint)]) t = {frame.t + rotate(frame.r, t.t), frame.r * t.r, t.s};
        return t;
    }

    const Take inner_;
    const LoopRepair repair_;
    const double end_, span_;
    const std::vector<bool> top_;
    const Affine hips_rest_;
    const Quat hips_turn_;
    std::vector<Gap> gaps_;
    std::vector<double> scalar_gaps_;
};

}  // namespace

Repaired repair_loop(const ShapedTake& shaped, const LoopRepair& repair, RootKind root) {
    auto motion = std::make_shared<RepairedMotion>(shaped, repair, root);
    Repaired out;
    const auto& gaps = motion->gaps();
    for (std::size_t j = 0; j < gaps.size(); ++j) {
        const std::string& name = shaped.take.skeleton[static_cast<int>(j)].name;
        const double far = length(gaps[j].place), turned = angle_between({}, gaps[j].turn);
        if (far > out.place_m) out.place_m = far, out.place_joint = name;
        if (turned > out.turn_rad) out.turn_rad = turned, out.turn_joint = name;
    }
    out.take = moved_by(shaped.take, std::move(motion));
    return out;
}

}  // namespace mellow
