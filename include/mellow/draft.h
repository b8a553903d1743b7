// Draft: a recipe suggested from what the files hold.
//
// Every value has its reason, and where something else was likely, or nothing could be told, it is
// marked. What cannot be told is written as "?", so that packing stops there, at that line.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "mellow/result.h"

namespace mellow {

/// Where the recipe will be, and what it is for.
struct DraftOptions {
    std::filesystem::path recipe;  ///< where it will be: paths in it are relative to its folder
    std::filesystem::path rig;     ///< a rig sheet; empty: none
    std::string target = "y-up-metre";  ///< a preset, or a target file
    std::filesystem::path output;       ///< of the crate; empty: crates/NAME beside the recipe
    std::vector<Edit> known;            ///< keys of [source] that are known of the figure's file
};

/// One value of a drafted recipe.
struct DraftedValue {
    std::string place, key, value;  ///< "[source]", "unit", "\"centimetre\""
    std::string reason;             ///< why, and what else was considered
    bool guess = false;             ///< something else is likely as well
    bool unknown = false;           ///< value is "?": to be filled in
};

/// A recipe that was suggested, and how sure each value of it is.
struct Draft {
    std::string text;  ///< the recipe, commented
    std::vector<DraftedValue> values;
    Findings findings;  ///< of the files; and why it cannot be packed as it is
    bool ready = true;  ///< nothing is to be filled in, and everything in it can be planned
};

/// Suggests a recipe for `files`: the first with a mesh, or the first, is the figure, the others
/// move it. Fails as reading does, and with file-missing
/// where the folder of the recipe is not there; nothing is written.
Result<Draft> draft_recipe(const std::vector<std::filesystem::path>& files,
                           const DraftOptions& options);

}  // namespace mellow
