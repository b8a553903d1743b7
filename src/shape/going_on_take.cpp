// A take that goes on beyond its end; declared in shaping.h.
#include <algorithm>
#include <array>

#include "mellow/shaping.h"
#include "shape/ground_frame.h"
#include "shape/tile_poses.h"

namespace mellow {
namespace {

class GoingOnMotion final : public Take::Motion {
  public:
    GoingOnMotion(const ShapedTake& shaped, double more, const LoopRepair& repair, RootKind root)
        : inner_(shaped.take),
          end_(shaped.seconds),
          more_(more),
          top_(top_joints(inner_.skeleton, root)) {
        const Align frame{repair.hips, repair.ground, repair.heading, false};
        if (!repair.ground && !repair.heading) return;
        last_ = ground_frame(inner_, frame, end_);
        const Transform before = ground_frame(inner_, frame, std::max(0.0, end_ - more_));
        step_ = after(back(before), last_);
        angle_ = twist_angle(step_.r, {0, 1, 0});
    }

    JointTile make_tile() const override { return tile_made_of(inner_); }

    void evaluate(std::span<const double> seconds, Take::Want want,
                  JointTile& tile) const override {
        std::array<double, kTileFrames> held{};
        std::array<Transform, kTileFrames> moves;
        for (std::size_t f = 0; f < kTileFrames; ++f) {
            const double t = seconds[std::min(f, seconds.size() - 1)];
            held[f] = std::min(t, end_);
            const double u = std::max(0.0, t - end_) / more_;
            const Transform part{u * step_.t, from_axis_angle({0, 1, 0}, u * angle_), {1, 1, 1}};
            moves[f] = after(after(last_, part), back(last_));
        }
        auto& work = static_cast<MadeOfOne&>(*tile.work);
        const JointTile& inner = work.inner.evaluate(inner_, held, Take::Want::kLocals);
        for (int j = 0; j < inner_.skeleton.size(); ++j) {
            double* own = tile.own_local(j);
            tile.no_shear(j);
            for (int f = 0; f < kTileFrames; ++f) {
                Transform t = load_local(inner.local(j), f);
                if (top_[at(j)] && held[at(f)] == end_) {
                    const Vec3 size = t.s;
                    t = after(moves[at(f)], t);
                    t.s = size;
                }
                store_local(own, f, t);
            }
        }
        for (int i = 0; i < scalars_of(inner_); ++i)
            std::copy_n(inner.scalar(i), kTileFrames, tile.own_scalar(i));
        if (want == Take::Want::kWorlds) put_all_worlds(inner_, held, work, tile);
    }

  private:
    const Take inner_;
    const double end_, more_;
    const std::vector<bool> top_;
    Transform last_, step_;  ///< where the end stands; what the last `more` seconds add, from there
    double angle_ = 0;
};

}  // namespace

ShapedTake go_on(const ShapedTake& shaped, double more, const LoopRepair& repair, RootKind root) {
    auto motion = std::make_shared<GoingOnMotion>(shaped, more, repair, root);
    return {moved_by(shaped.take, std::move(motion)), shaped.seconds + more};
}

}  // namespace mellow
