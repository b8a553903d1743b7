// Clips of a recipe: [[clip]], [[timelines]] and [[clips]].
#pragma once

#include <string>

#include "base/toml_table.h"
#include "mellow/recipe.h"

namespace mellow {

/// Complains of a `name` that some system can give no file.
void check_name(TomlTable& t, const std::string& name);

/// Reads all of them, at least one.
void read_clips(TomlTable& top, Recipe& recipe);

/// Layers name clips, and clips name arrangements and sources, that the recipe has: complains where
/// not.
void check_clip_names(TomlTable& top, const Recipe& recipe);

}  // namespace mellow
