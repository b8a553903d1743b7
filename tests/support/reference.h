// A second, slow way to evaluate a rig, written apart from the library: 4x4 matrices, one frame at
// a time, curves and rules as their documentation says. Nothing here calls the rig or bake stage.
#pragma once

#include <array>
#include <map>
#include <string>
#include <vector>

#include "mellow/rig_sheet.h"
#include "mellow/scene.h"

namespace mellow::test {

using Matrix = std::array<std::array<double, 4>, 4>;  // [row][column]

struct ReferencePose {
    std::vector<Matrix> worlds;            // per node
    std::map<std::string, double> driven;  // "mesh/target" -> weight
};

/// Evaluates `timeline` of `scene` under `sheet` at `seconds` by going over all rules until nothing
/// changes any more, so that no order is needed.
ReferencePose reference_pose(const Scene& scene, int timeline, const RigSheet& sheet,
                             double seconds);

}  // namespace mellow::test
