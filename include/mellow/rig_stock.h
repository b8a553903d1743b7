// Taking stock of a rig: what a rig sheet does with a scene, before anything is baked.
//
// It answers what one asks first of a strange rig: in which order rules are evaluated, what each of
// them moves, and which deform joints nothing moves at all. Nothing is sampled.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "mellow/rig.h"

namespace mellow {

/// What a sheet does with a scene.
struct RigStock {
    std::vector<RigStep> steps;  ///< in the order they are evaluated
    /// A deform joint without keys and without a rule of its own.
    struct Passive {
        std::string joint;
        std::string goes_with;  ///< the nearest node above it that moves; empty when none does
    };
    std::vector<Passive> passive;
    int deform_joints = 0;  ///< that were looked at
    Findings findings;      ///< never-moves, for joints that nothing moves at all
};

/// Binds `sheet` to `scene` and lists what is evaluated. Where the sheet names no prefix, the one
/// that all names of the scene share is used. Fails as Rig::bind() does.
Result<RigStock> take_rig_stock(const Scene& scene, RigSheet sheet);

/// Reads a rig sheet from disk.
Result<RigSheet> read_rig_sheet(const std::filesystem::path& path);

}  // namespace mellow
