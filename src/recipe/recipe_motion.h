// What a recipe wants to know of the motion in clips: [motion] and its planes.
#pragma once

#include "base/toml_table.h"
#include "mellow/recipe.h"

namespace mellow {

/// Reads [motion]; mistakes go to the table.
void read_motion_checks(TomlTable& t, RecipeMotion& motion);

}  // namespace mellow
