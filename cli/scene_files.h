// Files of scenes in folders.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

namespace mellow::cli {

/// Scene files and crates in a folder and all folders in it, sorted; not what is inside a crate,
/// nor what is hidden. Endings count in capitals as well.
std::vector<std::string> listed(const std::filesystem::path& folder);

}  // namespace mellow::cli
