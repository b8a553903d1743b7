#include "figure/driven_take.h"

#include <algorithm>
#include <cmath>

#include "math/degrees.h"
#include "model/orientation.h"
#include "shape/tile_poses.h"

namespace mellow {
namespace {

struct BoundInput {
    int joint = 0, parent = kNone;
    bool twist = false;
    Vec3 axis;
    Quat rest;
    ValueCurve curve;
};

struct BoundWeight {
    int scalar = 0;
    bool product = true;
    std::vector<BoundInput> inputs;
};

/// The angle that docs/crate.md gives for a drive, degrees.
double degrees_of(const BoundInput& input, Quat local) {
    const Quat q = conjugate(input.rest) * local;
    return (input.twist ? twist_angle(q, input.axis) : swing_angle(q, input.axis)) * kDegrees;
}

class DrivenMotion final : public Take::Motion {
  public:
    DrivenMotion(const Take& inner, std::vector<BoundWeight> weights)
        : inner_(inner), weights_(std::move(weights)) {}

    JointTile make_tile() const override { return tile_made_of(inner_); }

    void evaluate(std::span<const double> seconds, Take::Want want,
                  JointTile& tile) const override {
        auto& work = static_cast<MadeOfOne&>(*tile.work);
        const JointTile& inner = work.inner.evaluate(inner_, seconds, want);
        for (int j = 0; j < inner_.skeleton.size(); ++j) {
            if (want == Take::Want::kWorlds) {
                tile.show_world(j, inner.world(j));
                continue;
            }
            tile.show_local(j, inner.local(j));
            tile.no_shear(j);
            if (inner.shear(j) != nullptr)
                std::copy_n(inner.shear(j), kTileFrames, tile.own_shear(j));
        }
        for (std::size_t i = 0; want == Take::Want::kWorlds && i < inner_.mounts.size(); ++i)
            tile.show_mount(static_cast<int>(i), inner.mount(static_cast<int>(i)));
        for (int i = 0; i < scalars_of(inner_); ++i) tile.show_scalar(i, inner.scalar(i));
        for (const BoundWeight& weight : weights_) drive(weight, inner, want, tile);
    }

  private:
    static Quat local_of(const BoundInput& input, const JointTile& tile, Take::Want want, int f) {
        if (want == Take::Want::kLocals) return load(turns(local_rows(tile, input.joint)), f);
        const Quat own = orientation(load(world_rows(tile, input.joint), f));
        if (input.parent == kNone) return own;
        return conjugate(orientation(load(world_rows(tile, input.parent), f))) * own;
    }

    static void drive(const BoundWeight& weight, const JointTile& inner, Take::Want want,
                      JointTile& tile) {
        double* own = tile.own_scalar(weight.scalar);
        for (int f = 0; f < kTileFrames; ++f) {
            double value = weight.product ? 1 : 0;
            for (const BoundInput& input : weight.inputs) {
                const double v =
                    value_at(input.curve, degrees_of(input, local_of(input, inner, want, f)));
                value = weight.product ? value * v : value + v;
            }
            own[f] = value;
        }
    }

    const Take inner_;
    const std::vector<BoundWeight> weights_;
};

/// The scalar of a morph target in a tile; kNone where the take does not have it.
int scalar_of(const Take& take, const std::string& mesh, const std::string& target) {
    int first = 0;
    for (const MorphChannels& morphs : take.morphs) {
        const auto found = std::find(morphs.targets.begin(), morphs.targets.end(), target);
        if (morphs.mesh == mesh && found != morphs.targets.end())
            return first + static_cast<int>(found - morphs.targets.begin());
        first += static_cast<int>(morphs.targets.size());
    }
    return kNone;
}

}  // namespace

Take driven_take(const Take& inner, const std::vector<KeptDrive>& drives) {
    const Skeleton& skeleton = inner.skeleton;
    std::vector<BoundWeight> weights;
    for (const KeptDrive& drive : drives) {
        BoundWeight weight;
        weight.scalar = scalar_of(inner, drive.mesh, drive.target);
        weight.product = drive.product;
        for (const KeptDrive::Input& input : drive.inputs) {
            const int joint = skeleton.find(input.joint);
            if (joint < 0) break;
            weight.inputs.push_back({joint, skeleton[joint].parent, input.twist, input.axis,
                                     skeleton[joint].rest.r, input.curve});
        }
        if (weight.scalar != kNone && weight.inputs.size() == drive.inputs.size())
            weights.push_back(std::move(weight));
    }
    if (weights.empty()) return inner;
    return moved_by(inner, std::make_shared<DrivenMotion>(inner, std::move(weights)));
}

}  // namespace mellow
