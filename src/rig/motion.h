// Motion: keyed curves of a timeline, or of blocks on an arrangement, sampled into a tile.
#pragma once

#include <map>
#include <span>
#include <vector>

#include "mellow/performance.h"
#include "mellow/pose_tile.h"
#include "mellow/result.h"
#include "mellow/scene.h"

namespace mellow {

/// A timeline with the runs of keys that a layer rounds off.
struct BoundTimeline {
    struct Smoothed {
        double first, last;  ///< seconds between which it takes the place of the channel
        Curve curve;
    };
    const Timeline* timeline = nullptr;
    std::vector<std::span<const MemberCurve>> members;
    std::map<std::size_t, Smoothed> smoothed;   ///< by channel
    std::vector<MemberCurve> smoothed_members;  ///< in place of the timeline's, unless empty
};

struct BoundBlock {
    Block block;
    std::size_t timeline;  ///< index into Motion::timelines
    struct Onward {
        int node;
        Transform step;  ///< what one repeat adds, in front of the local transform
    };
    std::vector<Onward> onward;
    double overlap = 0;  ///< frames shared with what came before
};

class Motion {
  public:
    /// Binds what `performance` says about curves. Fails with name-unknown for nodes of blocks and
    /// layers that the scene does not have.
    static Result<Motion> bind(const Scene& scene, const Performance& performance,
                               const std::string& prefix);

    /// Writes all keyed channels and morph weights of the tile; others are left as they are.
    void sample(std::span<const double> seconds, PoseTile& tile) const;
    /// Writes the rest pose of everything, and the world above roots.
    void write_rest(PoseTile& tile) const;
    void write_rest(int node, PoseTile& tile) const;

    /// Nodes whose matrix has shear. Their shear takes nine scalars of the tile each, from `first`
    /// on: columns, in this order of nodes. Until that is told, no shear is written.
    const std::vector<int>& sheared() const { return sheared_; }
    void write_shear_from(int first);
    /// Scalar where a node's shear begins, or kNone.
    int shear_of_node(int node) const { return shear_[static_cast<std::size_t>(node)]; }

    std::array<double, 2> span() const { return span_; }
    double frames_per_second() const { return scene_->rate.per_second(); }

  private:
    void sample_timeline(const BoundTimeline& bound, std::span<const double> seconds,
                         PoseTile& tile) const;
    void sample_strip(std::span<const double> seconds, PoseTile& tile) const;
    Status bind_arrangement(const Arrangement& arrangement, const std::string& prefix);
    std::size_t use(int timeline);
    void mix(const BoundBlock& block, const double* weight, const double* turn,
             PoseTile& tile) const;

    const Scene* scene_ = nullptr;
    Conversion stack_change_;
    ScalarLayout morphs_;
    std::vector<double> rest_weights_;
    std::vector<BoundTimeline> timelines_;
    std::vector<int> timeline_numbers_;
    std::vector<BoundBlock> blocks_;  ///< of the arrangement, if there is one
    CurveShape blend_ = CurveShape::kSmooth;
    bool gaps_rest_ = false;
    std::vector<int> moved_nodes_;  ///< by any block
    std::vector<int> sheared_;
    std::vector<int> shear_;  ///< by node: its first scalar
    std::array<double, 2> span_{};
};

}  // namespace mellow
