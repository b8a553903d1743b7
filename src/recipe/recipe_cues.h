// Cues of a recipe: [[cue]], and [[cues]] for tables of them.
#pragma once

#include "base/toml_table.h"
#include "mellow/recipe.h"

namespace mellow {

/// Reads both, with the tables that [[cues]] names; mistakes go to `top`.
void read_cues(TomlTable& top, Recipe& recipe);

}  // namespace mellow
