// Parts of a recipe that say what moves the rig: sets, layers, strips.
#pragma once

#include <map>
#include <string>
#include <vector>

#include "base/toml_table.h"
#include "mellow/recipe.h"

namespace mellow {

/// Lists of nodes by name; "set:name" stands for a list of the recipe's.
class Sets {
  public:
    Status read(TomlTable& top, const std::string& file);
    /// The list under `key` as a mask.
    NodeMask mask(TomlTable& t, std::string_view key) const;

  private:
    std::map<std::string, std::vector<std::string>> sets_;
    std::vector<std::string> names_;
};

Result<RecipeLayer> read_layer(const toml::table& table, const Sets& sets, const std::string& file,
                               std::size_t index);
Result<RecipeStrip> read_strip(const toml::table& table, const std::string& file,
                               std::size_t index);

}  // namespace mellow
