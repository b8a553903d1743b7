// One clip of a crate as an engine has it: local transforms of joints by sample.
#pragma once

#include <string>
#include <vector>

#include "mellow/clip.h"
#include "mellow/scene.h"

namespace mellow {

/// Of turns and shifts without size: a * b, and the inverse of a.
Transform joined(const Transform& a, const Transform& b);
Transform undone(const Transform& a);
/// From a to b by w: places along a line, turns along the shorter arc.
Transform mixed(const Transform& a, const Transform& b, double w);

class PlayedMotion {
  public:
    /// `joints`: names of the nodes of the skin; those that the clip does not move are kNone.
    PlayedMotion(const ClipInfo& facts, const Scene& motion, const Scene& skin, int root);

    double seconds() const { return seconds_; }
    bool loops() const { return facts_.loop != LoopForm::kOnce; }
    const ClipInfo& facts() const { return facts_; }

    /// The local transforms of all nodes of the skin at a second of the clip from 0 to seconds(),
    /// the root without what it travels.
    void pose(double second, std::vector<Transform>& out) const;
    /// What the root has travelled at that second, as place on the ground, height and heading, as
    /// far as the clip carries it.
    Transform travelled(double second) const;
    /// What one round of the loop adds, on the left of travelled().
    const Transform& step() const { return step_; }
    /// From the beginning of a loop to its end, travel taken along, of the node that is farthest
    /// away; metres, +Y up.
    Vec3 seam() const;

  private:
    Transform root_at(double second) const;
    Transform local(std::size_t moved, double second) const;
    Transform travel_of(const Transform& root) const;

    ClipInfo facts_;
    const Scene& skin_;
    int root_;
    double seconds_ = 0;
    struct Moved {
        int node;
        std::vector<Transform> samples;
    };
    std::vector<Moved> moved_;
    std::vector<Transform> channels_;  ///< travel that is kept beside the root
    Transform step_;
};

}  // namespace mellow
