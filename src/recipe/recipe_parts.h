// Parts of a recipe that say what moves the rig: sets, layers, arrangements.
#pragma once

#include <map>
#include <set>
#include <string>
#include <vector>

#include "base/toml_table.h"
#include "mellow/recipe.h"

namespace mellow {

/// Lists of nodes by name; "set:name" stands for a list of the recipe's.
class Sets {
  public:
    void read(TomlTable& top);
    /// The list under `key` as a mask.
    NodeMask mask(TomlTable& t, std::string_view key) const;
    /// Says which sets no mask has named.
    void note_unused(TomlTable& top) const;

  private:
    std::map<std::string, std::vector<std::string>> sets_;
    std::vector<std::string> names_;
    mutable std::set<std::string> used_;
};

RecipeLayer read_layer(TomlTable& t, const Sets& sets);
RecipeArrangement read_arrangement(TomlTable& t);
/// A table of names and what they become, in the order in which they are tried.
std::vector<Rename> read_rename_keys(TomlTable& t);

}  // namespace mellow
