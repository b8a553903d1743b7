// Rig: a scene, a rig sheet and a performance bound together, ready to be evaluated at any time.
//
// bind() resolves names, finds an order from the dependencies alone and refuses cycles and channels
// driven twice. evaluate() then fills tiles. Thread rule: immutable after bind(); evaluate() may
// run on several threads, each with its own tile. The scene must outlive the rig.
#pragma once

#include <memory>
#include <span>
#include <string>
#include <vector>

#include "mellow/performance.h"
#include "mellow/place.h"
#include "mellow/pose_tile.h"
#include "mellow/result.h"
#include "mellow/rig_sheet.h"
#include "mellow/scene.h"
#include "mellow/take.h"

namespace mellow {

/// One step of the evaluation, for people and reports.
struct RigStep {
    std::string line;        ///< "limb thigh.L shin.L foot.L <- foot_goal.L, knee_pole.L"
    std::string kind;        ///< "limb", ...; "layer"
    Place where;             ///< file, line and number of the rule or layer
    std::vector<int> nodes;  ///< nodes it moves
    std::string drives;      ///< what of them: "orientation"; "value" for weights and scalars
};

/// A scene bound to its rules and to what moves it: ready to be evaluated at any moment.
class Rig {
  public:
    /// Binds `sheet` to the nodes of `scene` and to what moves them. Fails with name-unknown (and
    /// the nearest name), rule-cycle (and the cycle), rule-clash (and both rules) or value-bad (a
    /// limb whose joints are not parent and child). Rules with memory (`lag`, `roll`) are walked
    /// through here, 240 steps a second.
    static Result<Rig> bind(const Scene& scene, const Performance& performance,
                            const RigSheet& sheet);
    /// One timeline as it is; kNone: the rest pose.
    static Result<Rig> bind(const Scene& scene, int timeline, const RigSheet& sheet);

    Rig(Rig&&) noexcept;
    Rig& operator=(Rig&&) noexcept;
    ~Rig();

    /// The rig as a maker and filler of tiles; it must not outlive the rig. Scalars of the sheet
    /// stand behind the morph weights.
    PoseSource source() const;
    /// The same, but only worlds that rules, layers or `nodes` need are evaluated; other rows of a
    /// tile hold no meaning. Locals and scalars are all there.
    PoseSource source(const std::vector<int>& nodes) const;
    /// Locals, worlds, morph weights and scalars of all nodes at up to kTileFrames times, in
    /// seconds. Curves first, then rules, layers and worlds in dependency order. Lanes beyond the
    /// last time repeat it.
    void evaluate(std::span<const double> seconds, PoseTile& tile) const;

    /// What is evaluated, in order.
    const std::vector<RigStep>& steps() const;
    /// Nodes that a rule or layer moves, ascending.
    const std::vector<int>& driven_nodes() const;
    /// Harmless things worth saying: layers with equal seeds.
    const Findings& findings() const;
    /// First and last second of what moves it.
    std::array<double, 2> span() const;

    struct Plan;  ///< the bound form; private to the rig stage

  private:
    explicit Rig(std::unique_ptr<Plan> plan);
    std::unique_ptr<Plan> plan_;
};

/// The take that a bound rig makes of the joints of a skeleton; it keeps the rig. `scene` is the
/// one that the rig was bound to and must outlive it. See take_of() for `sources` and `parts`.
Take play(const Scene& scene, std::shared_ptr<const Rig> rig, const Skeleton& skeleton,
          const JointSources& sources, const TakeParts& parts = {});

}  // namespace mellow
