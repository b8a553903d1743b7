// Takes that a function makes; declared in take.h.
#include "base/at.h"
#include "mellow/take.h"
#include "model/lanes.h"

namespace mellow {
namespace {

class ComputedTake final : public Take::Motion {
  public:
    ComputedTake(const Take& take, JointMover move)
        : skeleton_(take.skeleton), mounts_(take.mounts), move_(std::move(move)) {
        for (const MorphChannels& mesh : take.morphs)
            scalars_.insert(scalars_.end(), mesh.rest.begin(), mesh.rest.end());
        for (const Joint& joint : skeleton_.joints()) rest_.push_back(joint.rest);
    }

    JointTile make_tile() const override {
        JointTile tile(skeleton_.size(), static_cast<int>(mounts_.size()),
                       static_cast<int>(scalars_.size()));
        for (std::size_t s = 0; s < scalars_.size(); ++s)
            std::fill_n(tile.own_scalar(static_cast<int>(s)), kTileFrames, scalars_[s]);
        return tile;
    }

    void evaluate(std::span<const double> seconds, Take::Want want,
                  JointTile& tile) const override {
        std::vector<Transform> joints;
        std::vector<Affine> worlds(rest_.size());
        for (int f = 0; f < kTileFrames; ++f) {
            if (f < static_cast<int>(seconds.size())) {
                joints = rest_;
                move_(seconds[at(f)], joints);
            }
            for (int j = 0; j < skeleton_.size(); ++j) {
                const Transform& local = joints[at(j)];
                if (want == Take::Want::kLocals) {
                    store(LocalRowsOut{tile.own_local(j)}, f,
                          {local.t, normalized(local.r), local.s});
                    continue;
                }
                const int up = skeleton_[j].parent;
                const Affine m = to_affine({local.t, normalized(local.r), local.s});
                worlds[at(j)] = up < 0 ? m : worlds[at(up)] * m;
                store(WorldRowsOut{tile.own_world(j)}, f, worlds[at(j)]);
            }
            for (std::size_t m = 0; want == Take::Want::kWorlds && m < mounts_.size(); ++m) {
                const Mount& mount = mounts_[m];
                store_affine(tile.own_mount(static_cast<int>(m)), f,
                             mount.joint < 0 ? mount.rest : worlds[at(mount.joint)] * mount.rest);
            }
        }
    }

  private:
    const Skeleton skeleton_;
    const std::vector<Mount> mounts_;
    const JointMover move_;
    std::vector<double> scalars_;
    std::vector<Transform> rest_;
};

}  // namespace

Take take_of(const Skeleton& skeleton, JointMover move, const TakeParts& parts) {
    Take take;
    take.skeleton = skeleton;
    take.mounts = parts.mounts;
    take.morphs = parts.morphs.value_or(std::vector<MorphChannels>{});
    take.motion = std::make_shared<ComputedTake>(take, std::move(move));
    take.tiles = std::make_shared<Pool<JointTile>>(
        [motion = take.motion] { return std::make_unique<JointTile>(motion->make_tile()); });
    return take;
}

}  // namespace mellow
