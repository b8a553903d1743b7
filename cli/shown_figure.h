// Figures as pictures show them, whatever file they come from.
#pragma once

#include <string>
#include <vector>

#include "commands.h"
#include "mellow/convention.h"
#include "mellow/pictures.h"
#include "mellow/result.h"
#include "mellow/scene.h"

namespace mellow::cli {

/// A figure with its clips, ready to be drawn, whatever it was read from.
struct Shown {
    std::string name;
    Scene skin;
    std::vector<Scene> motions;
    std::vector<SheetClip> clips;
    Convention axes;
    Findings findings;
};

/// The crate that a recipe has packed, for its first target. Fails where it is not there.
Result<std::string> packed_by(const std::string& recipe_file);

/// Reads a scene, a crate, or the crate of a recipe.
Result<Shown> read_shown(const ViewRequest& request, const std::string& given);

}  // namespace mellow::cli
