// `use` in a recipe: tables that several recipes share.
#pragma once

#include <toml++/toml.h>

#include <filesystem>
#include <string>
#include <vector>

#include "mellow/result.h"

namespace mellow {

/// A file that a recipe uses.
struct UsedFile {
    std::string file, hash;
};

/// Brings in what `use = "common.toml"`, or a list of files, names: tables and keys that `root`
/// does not say itself, from the first file that says them; files may use others. Paths start at
/// `folder`, the recipe's own. Fails with file-missing, toml-broken, or value-bad for files that
/// use each other in a circle.
Status bring_in(toml::table& root, const std::string& file, const std::filesystem::path& folder,
                std::vector<UsedFile>& used);

}  // namespace mellow
