// A take over a take; declared in shaping.h.
#include <algorithm>
#include <array>
#include <cmath>

#include "mellow/shaping.h"
#include "shape/tile_poses.h"

namespace mellow {
namespace {

class LayeredMotion final : public Take::Motion {
  public:
    LayeredMotion(const Take& base, const TakeLayer& layer) : base_(base), layer_(layer) {
        for (const Joint& joint : base_.skeleton.joints()) from_.push_back(joint.rest);
        for (const MorphChannels& mesh : base_.morphs)
            scalars_.insert(scalars_.end(), mesh.rest.begin(), mesh.rest.end());
        scalars_.resize(at(scalars_of(base_)));
        if (layer.from_rest) return;
        InnerTile inner;
        const JointTile& tile =
            inner.evaluate(layer.top.take, std::array{0.0}, Take::Want::kLocals);
        for (int j = 0; j < base_.skeleton.size(); ++j) from_[at(j)] = load_local(tile.local(j), 0);
        for (int i = 0; i < scalars_of(base_); ++i) scalars_[at(i)] = tile.scalar(i)[0];
    }

    JointTile make_tile() const override {
        JointTile tile = tile_made_of(base_);
        auto work = std::make_unique<Work>();
        work->rows.resize(at(base_.skeleton.size()));
        tile.work = std::move(work);
        return tile;
    }

    void evaluate(std::span<const double> seconds, Take::Want want,
                  JointTile& tile) const override {
        auto& work = static_cast<Work&>(*tile.work);
        std::array<double, kTileFrames> above{}, weight{};
        for (std::size_t f = 0; f < kTileFrames; ++f) {
            const double t = seconds[std::min(f, seconds.size() - 1)];
            const double s = t - layer_.start;
            weight[f] = s < 0
                            ? 0
                            : layer_.weight *
                                  (layer_.weights.points.empty() ? 1 : value_at(layer_.weights, t));
            above[f] = std::clamp(s, 0.0, layer_.top.seconds);
            if (layer_.again && layer_.top.seconds > 0) above[f] = in_round(s, layer_.top.seconds);
        }
        const JointTile& under = work.inner.evaluate(base_, seconds, Take::Want::kLocals);
        const JointTile& over = work.over.evaluate(layer_.top.take, above, Take::Want::kLocals);
        for (int j = 0; j < base_.skeleton.size(); ++j) {
            double* own = tile.own_local(j);
            tile.no_shear(j);
            const bool masked = !layer_.joints.empty() && !layer_.joints[at(j)];
            for (int f = 0; f < kTileFrames; ++f) {
                const Transform t = load_local(under.local(j), f);
                store_local(own, f,
                            masked || weight[at(f)] == 0 ? t
                                                         : mixed(t, load_local(over.local(j), f),
                                                                 from_[at(j)], weight[at(f)]));
            }
        }
        for (int i = 0; i < scalars_of(base_); ++i) {
            double* own = tile.own_scalar(i);
            for (std::size_t f = 0; f < kTileFrames; ++f) {
                const double a = under.scalar(i)[f], b = over.scalar(i)[f];
                const double more = layer_.added ? b - scalars_[at(i)] : b - a;
                own[f] = a + (layer_.joints.empty() ? weight[f] * more : 0);
            }
        }
        if (want == Take::Want::kWorlds) put_all_worlds(base_, seconds, work, tile);
    }

  private:
    /// The second of a round at which the layer is; each end is the next one's beginning, also
    /// where rounding has it a little earlier.
    static double in_round(double s, double round) {
        return std::max(0.0, s - round * std::floor(std::max(0.0, s) / round + 1e-9));
    }

    struct Work final : MadeOfOne {
        InnerTile over;
    };

    Transform mixed(const Transform& t, const Transform& top, const Transform& from,
                    double w) const {
        Transform out;
        if (!layer_.added) {
            if (w == 1) return top;
            out.t = t.t + w * (top.t - t.t);
            out.s = t.s + w * (top.s - t.s);
            out.r = slerp(t.r, nearest(top.r, t.r), w);
            return out;
        }
        out.t = t.t + w * (top.t - from.t);
        out.s = t.s + w * (top.s - from.s);
        const Quat turn = conjugate(from.r) * top.r;
        out.r = normalized(t.r * (w == 1 ? turn : slerp({}, nearest(turn, {}), w)));
        return out;
    }

    const Take base_;
    const TakeLayer layer_;
    std::vector<Transform> from_;  ///< what an added layer counts from
    std::vector<double> scalars_;
};

}  // namespace

Take layered(const Take& base, const TakeLayer& layer) {
    return moved_by(base, std::make_shared<LayeredMotion>(base, layer));
}

}  // namespace mellow
