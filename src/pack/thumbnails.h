// A small picture of each clip in the crate.
#pragma once

#include "base/toml_table.h"
#include "mellow/recipe.h"

namespace mellow {

/// Reads `thumbnails` of [output] and its size, side and crop; mistakes go to the table.
void read_thumbnails(TomlTable& t, Recipe& recipe);

/// Where the thumbnail of a clip goes, within the crate.
std::string thumbnail_name(const std::string& clip);

}  // namespace mellow
