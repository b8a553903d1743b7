// What one file of a draft says, and what it really is.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "mellow/draft.h"
#include "mellow/scene.h"
#include "mellow/stock.h"

namespace mellow {

/// What one file says, and what it really is.
struct FileDraft {
    std::filesystem::path path;
    std::string name;  ///< relative to the recipe
    Scene scene;
    Stock stock;
    std::vector<DraftedValue> truth;  ///< unit, up, front, rate, strip_prefix
    bool figure = false;              ///< it has legs
};

/// Fills `truth` and `figure` from scene and stock, as docs/recipe.md says of drafts.
void tell_truth(FileDraft& file);

}  // namespace mellow
