// The small pictures of clips that a recipe asks for.
#pragma once

#include "base/toml_table.h"
#include "mellow/recipe.h"

namespace mellow {

/// Reads `thumbnails` of [output] and its size, side and crop; mistakes go to the table.
void read_thumbnails(TomlTable& t, Recipe& recipe);

}  // namespace mellow
