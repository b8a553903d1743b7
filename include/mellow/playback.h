// Playback: a motion-only scene played on a skin scene, joints matched by name, as an engine would.
//
// It knows nothing of how the files came to be: it is what proving, drawing and the page look at.
// One moment at a time, in double precision.
#pragma once

#include <vector>

#include "mellow/pose.h"
#include "mellow/result.h"
#include "mellow/scene.h"

namespace mellow {

/// Both scenes must outlive it and be in the same convention. Immutable after make().
class Playback {
  public:
    /// A clip may be a whole scene: then every node of the same name is moved.
    /// Fails with name-unknown when a joint of the skin, or the weights of a mesh with morph
    /// targets, are not in the clip, and with no-motion unless the clip has exactly one timeline.
    static Result<Playback> make(const Scene& skin, const Scene& clip);

    /// Worlds of all nodes of the skin scene and its morph weights, `seconds` into the clip. Nodes
    /// that the clip does not have go with their parents.
    Pose pose(double seconds) const;
    const Scene& skin() const { return *skin_; }
    const Timeline& timeline() const { return clip_->timelines[0]; }
    /// Node of the clip that moves each node of the skin, or kNone.
    const std::vector<int>& clip_nodes() const { return clip_nodes_; }

  private:
    struct MorphSlot {
        int scalar, curve;
        bool channel;  ///< the curve is of a channel of the clip
    };
    struct Carried {
        int node, parent;
        Affine local;
    };
    const Scene* skin_ = nullptr;
    const Scene* clip_ = nullptr;
    std::vector<int> clip_nodes_;
    std::vector<MorphSlot> morphs_;
    std::vector<Carried> carried_;  ///< parents first
    Pose rest_;
};

}  // namespace mellow
