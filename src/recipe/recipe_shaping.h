// The keys of a recipe that shape clips: parts, time, repeats, mirrors, loops, places.
#pragma once

#include "base/toml_table.h"
#include "mellow/recipe.h"

namespace mellow {

/// What a clip makes of its motion. `loop` is read here, since it may ask for more than a flag.
void read_shaping(TomlTable& t, RecipeClip& clip);
/// The parts of a clip; none where it has no `part`.
void read_parts(TomlTable& t, RecipeClip& clip);
/// A range of two whole frames; a mistake else. True where it is one.
bool read_range(TomlTable& t, Range& range);

}  // namespace mellow
