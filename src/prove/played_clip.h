// A clip file as an engine plays it on the skin file, sample by sample, in plain arithmetic of its
// own: what is proven must not share the code that made it.
#pragma once

#include <string>
#include <vector>

#include "mellow/joint_tile.h"
#include "mellow/result.h"
#include "mellow/sample_plan.h"
#include "mellow/scene.h"
#include "model/lanes.h"

namespace mellow {

/// The finding that the files of a clip do not fit each other.
Finding unproven(const std::string& clip, std::string found, std::string expected);

class PlayedClip {
  public:
    /// Fails with proof-failed where joints, hierarchy, curves or times do not fit.
    static Result<PlayedClip> make(const Scene& skin, const Scene& clip, const SamplePlan& plan);

    int samples() const { return samples_; }
    /// Node of the clip that moves each node of the skin, or kNone.
    const std::vector<int>& clip_nodes() const { return clip_nodes_; }
    /// Room for the rows of one tile.
    std::vector<double> make_rows() const;
    /// Worlds of samples first .. first + count - 1 into `rows`; lanes beyond repeat the last.
    void evaluate(int first, int count, std::vector<double>& rows) const;
    /// Twelve rows of a node of the skin.
    WorldRows world(const std::vector<double>& rows, int skin_node) const;
    /// Numbers of the curve that carries the weights of a mesh: [sample][target].
    const Curve& weights(const std::string& mesh) const;
    const Timeline& timeline() const { return clip_->timelines[0]; }
    /// Its scalars without those of travel, which stand behind them.
    std::size_t scalars() const { return timeline().scalars.size() - (travels_ ? 4 : 0); }

  private:
    struct Moved {
        const Curve *translation = nullptr, *rotation = nullptr, *scale = nullptr;
    };
    Status check_tree() const;
    Status check_curves(const SamplePlan& plan);
    void find_travel();

    const Scene* skin_ = nullptr;
    const Scene* clip_ = nullptr;
    int samples_ = 0;
    bool travels_ = false;  ///< its root stays, and its travel is in channels: it is put back
    std::size_t rows_ = 0;  ///< of the nodes of the clip, then of those of the skin that rest
    std::vector<std::size_t> row_of_;  ///< by node of the skin
    std::vector<int> clip_nodes_, order_;
    std::vector<Moved> moved_;       ///< by node of the clip
    std::vector<Affine> skin_rest_;  ///< worlds of the skin's nodes
};

}  // namespace mellow
