// A take seen through other joints; declared in joint_fit.h.
#include <algorithm>

#include "base/at.h"
#include "mellow/joint_fit.h"
#include "model/lanes.h"

namespace mellow {
namespace {

class FittedMotion final : public Take::Motion {
  public:
    FittedMotion(const Take& figure, const Take& fitted, const std::vector<int>& from)
        : inner_(figure.motion), skeleton_(fitted.skeleton), from_(from) {
        for (int j = 0; j < skeleton_.size(); ++j) rest_.push_back(to_affine(skeleton_[j].rest));
        for (const Mount& mount : fitted.mounts) {
            const auto found = std::find_if(figure.mounts.begin(), figure.mounts.end(),
                                            [&](const Mount& m) { return m.name == mount.name; });
            mounts_.push_back({found == figure.mounts.end()
                                   ? kNone
                                   : static_cast<int>(found - figure.mounts.begin()),
                               mount.joint, mount.rest});
        }
        int first = 0;
        std::vector<std::pair<const MorphChannels*, int>> have;
        for (const MorphChannels& morphs : figure.morphs) {
            have.emplace_back(&morphs, first);
            first += static_cast<int>(morphs.targets.size());
        }
        for (const MorphChannels& morphs : fitted.morphs) add_morphs(morphs, have);
        for (const NamedScalar& scalar : fitted.scalars)
            for (std::size_t s = 0; s < figure.scalars.size(); ++s)
                if (figure.scalars[s].name == scalar.name)
                    scalars_.push_back({first + static_cast<int>(s), 0});
    }

    JointTile make_tile() const override {
        JointTile tile(skeleton_.size(), static_cast<int>(mounts_.size()),
                       static_cast<int>(scalars_.size()));
        tile.work = std::make_unique<Work>(inner_->make_tile());
        return tile;
    }

    void evaluate(std::span<const double> seconds, Take::Want, JointTile& tile) const override {
        JointTile& inner = static_cast<Work&>(*tile.work).inner;
        inner_->evaluate(seconds, Take::Want::kWorlds, inner);
        for (int j = 0; j < skeleton_.size(); ++j) {
            if (from_[at(j)] != kNone)
                tile.show_world(j, inner.world(from_[at(j)]));
            else
                rest_on(skeleton_[j].parent, rest_[at(j)], tile, tile.own_world(j));
        }
        for (std::size_t m = 0; m < mounts_.size(); ++m) {
            const int i = static_cast<int>(m);
            if (mounts_[m].inner != kNone)
                tile.show_mount(i, inner.mount(mounts_[m].inner));
            else
                rest_on(mounts_[m].joint, mounts_[m].rest, tile, tile.own_mount(i));
        }
        for (std::size_t s = 0; s < scalars_.size(); ++s) {
            const int i = static_cast<int>(s);
            if (scalars_[s].inner != kNone)
                tile.show_scalar(i, inner.scalar(scalars_[s].inner));
            else
                std::fill_n(tile.own_scalar(i), kTileFrames, scalars_[s].rest);
        }
    }

  private:
    struct Work final : JointTile::Work {
        explicit Work(JointTile made) : inner(std::move(made)) {}
        JointTile inner;
    };
    struct MountLink {
        int inner, joint;
        Affine rest;
    };
    struct ScalarLink {
        int inner;
        double rest;
    };

    void add_morphs(const MorphChannels& morphs,
                    const std::vector<std::pair<const MorphChannels*, int>>& have) {
        const auto of_mesh = std::find_if(have.begin(), have.end(), [&](const auto& known) {
            return known.first->mesh == morphs.mesh;
        });
        for (std::size_t t = 0; t < morphs.targets.size(); ++t) {
            ScalarLink link{kNone, morphs.rest[t]};
            if (of_mesh != have.end()) {
                const auto& names = of_mesh->first->targets;
                // Names may stand twice: then it is the place that counts.
                const auto slot =
                    names == morphs.targets
                        ? static_cast<std::ptrdiff_t>(t)
                        : std::find(names.begin(), names.end(), morphs.targets[t]) - names.begin();
                if (slot < static_cast<std::ptrdiff_t>(names.size()))
                    link.inner = of_mesh->second + static_cast<int>(slot);
            }
            scalars_.push_back(link);
        }
    }

    static void rest_on(int parent, const Affine& rest, const JointTile& tile, double* out) {
        for (int f = 0; f < kTileFrames; ++f)
            store_affine(out, f, parent < 0 ? rest : load(world_rows(tile, parent), f) * rest);
    }

    const std::shared_ptr<const Take::Motion> inner_;
    const Skeleton skeleton_;
    const std::vector<int> from_;
    std::vector<Affine> rest_;
    std::vector<MountLink> mounts_;
    std::vector<ScalarLink> scalars_;
};

}  // namespace

Take fit_take(const Take& figure, const Skeleton& skeleton, const std::vector<int>& from,
              const FitParts& parts) {
    Take out{skeleton, parts.mounts, parts.morphs, figure.scalars, nullptr, nullptr};
    std::erase_if(out.scalars, [&](const NamedScalar& scalar) {
        return std::find(parts.without.begin(), parts.without.end(), scalar.name) !=
               parts.without.end();
    });
    out.motion = std::make_shared<FittedMotion>(figure, out, from);
    out.tiles = std::make_shared<Pool<JointTile>>(
        [motion = out.motion] { return std::make_unique<JointTile>(motion->make_tile()); });
    return out;
}

}  // namespace mellow
