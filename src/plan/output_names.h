// Names of the files of a crate, by the patterns of its target.
#pragma once

#include <map>
#include <string>
#include <vector>

#include "mellow/recipe.h"
#include "plan/jobs.h"
#include "recipe/clip_names.h"

namespace mellow {

/// Where everything goes, relative to the crate, without what files end in.
struct OutputNames {
    std::string skin, library;
    std::vector<std::string> clips;      ///< as Jobs::clips()
    std::vector<int> ids;                ///< of the clips; empty where the target has none
    std::vector<std::string> otherwise;  ///< "Walk.Fast to walk_fast": as the target's rule wants
    std::size_t chosen = 0;              ///< how many clips the target takes; others have no name
};

/// True for a clip that the target takes.
bool is_chosen(const Target& target, const RecipeClip& clip);

/// Fills in all patterns. Clips that had a number before, by name, keep it; others take the next
/// that is free. Fails with name-clash where two patterns give one file, with limit where the
/// numbers do not suffice, or with no-motion where the target takes no clip.
Result<OutputNames> output_names(const Recipe& recipe, const Target& target,
                                 const std::vector<ClipJob>& clips,
                                 const std::map<std::string, int>& ids_before);

}  // namespace mellow
