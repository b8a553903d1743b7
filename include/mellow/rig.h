// Rig: a scene and a rig sheet bound together, ready to be evaluated at any time.
//
// bind() resolves names, finds an order from the dependencies alone and refuses cycles and channels
// driven twice. evaluate() then fills tiles. Thread rule: immutable after bind(); evaluate() may
// run on several threads, each with its own tile. The scene must outlive the rig.
#pragma once

#include <memory>
#include <span>
#include <string>
#include <vector>

#include "mellow/pose_tile.h"
#include "mellow/result.h"
#include "mellow/rig_sheet.h"
#include "mellow/scene.h"

namespace mellow {

class Rig {
  public:
    /// Binds `sheet` to the nodes of `scene` and to one of its timelines (kNone: the rest pose
    /// only). Fails with name-unknown (and the nearest name), rule-cycle (and the cycle),
    /// rule-clash (and both rules) or value-bad (a limb whose joints are not parent and child).
    static Result<Rig> bind(const Scene& scene, int timeline, const RigSheet& sheet);

    Rig(Rig&&) noexcept;
    Rig& operator=(Rig&&) noexcept;
    ~Rig();

    /// The rig as a maker and filler of tiles; it must not outlive the rig.
    PoseSource source() const;
    /// Locals, worlds and morph weights of all nodes at up to kTileFrames times, in seconds. Curves
    /// first, then rules and worlds in dependency order. Lanes beyond the last time repeat it.
    void evaluate(std::span<const double> seconds, PoseTile& tile) const;

    /// What is evaluated, in order, one line per rule: "limb thigh.L shin.L foot.L <- foot_goal.L".
    const std::vector<std::string>& rule_order() const;
    /// Nodes that a rule moves.
    const std::vector<int>& driven_nodes() const;

    struct Plan;  ///< the bound form; private to the rig stage

  private:
    explicit Rig(std::unique_ptr<Plan> plan);
    std::unique_ptr<Plan> plan_;
};

}  // namespace mellow
