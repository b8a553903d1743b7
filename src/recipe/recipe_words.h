// A recipe as far as its words are right: what is wrong with others need not hide what is wrong
// with the files that these name.
#pragma once

#include "mellow/recipe.h"

namespace mellow {

struct RecipeWords {
    Recipe recipe;      ///< without clips and other tables that are wrong, and what is made of them
    Findings mistakes;  ///< in the order of the text
    bool figure = false;  ///< whether the figure's own table is right
};

/// Fails with toml-broken alone, and where a file under `use` cannot be brought in.
Result<RecipeWords> read_words(std::string_view text, const std::string& file,
                               const std::filesystem::path& folder);

}  // namespace mellow
