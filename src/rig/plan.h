// The bound form of a rig, shared by the files of this stage.
#pragma once

#include <map>

#include "mellow/rig.h"
#include "rig/motion.h"
#include "rig/rules.h"

namespace mellow {

/// A step is the world matrix of node `step` when step < nodes, else rule `step - nodes`.
struct Rig::Plan {
    const Scene* scene = nullptr;
    Motion motion;
    std::vector<double> rest_scalars;
    std::vector<int> turns;  ///< Binder::turns()
    struct SheetScalar {
        int scalar;
        ValueCurve curve;  ///< over frames
    };
    std::vector<SheetScalar> keyed_scalars;
    std::vector<NamedScalar> kept_scalars;
    std::vector<BoundRule> rules;
    std::vector<int> order;
    std::vector<std::vector<int>> needs;  ///< of each step, other steps
    std::vector<int> refill;  ///< nodes whose rest channels are written before each evaluation
    std::vector<RigStep> steps;
    std::vector<int> driven;
    Findings findings;

    int nodes() const { return static_cast<int>(scene->nodes.size()); }
};

/// Whether rules with memory look up what they found, or are on their walk.
struct Walk {
    bool rolls = false;  ///< wheels are walking; lag is left out
    bool lags = false;   ///< lagging nodes are walking, in this order of rules
    int count = 0;       ///< lanes that count
    /// For each rule, where a loop has got to at each lane; empty outside loops.
    const std::map<std::size_t, std::vector<Affine>>* moved = nullptr;
    bool without_memory = false;  ///< where things would be without lag
};

/// Evaluates everything at the given times.
void evaluate_plan(const Rig::Plan& plan, std::span<const double> seconds, PoseTile& tile,
                   const Walk* walk);
/// The same with some of the steps; `owner` tells the tile what it was made ready for.
void evaluate_steps(const Rig::Plan& plan, std::span<const int> order, const void* owner,
                    std::span<const double> seconds, PoseTile& tile, const Walk* walk);
/// Walks rolling wheels over the motion up to the end of the played part, then lagging nodes over
/// that. Fails with limit where that is longer than two hours.
Status walk_memory(const Rig::Plan& plan, const Performance& performance);

/// Binds everything; see Rig::bind().
Result<std::unique_ptr<Rig::Plan>> make_plan(const Scene& scene, const Performance& performance,
                                             const RigSheet& sheet);
PoseTile make_tile(const Rig::Plan& plan);

}  // namespace mellow
