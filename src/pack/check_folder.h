// Checking files that a manifest, or packing itself, names.
#pragma once

#include <filesystem>
#include <string>
#include <utility>
#include <vector>

#include "pack/checker.h"

namespace mellow {

/// Checks a skin file and the files of clips in a folder, each with what is said of it.
void check_listed(const std::filesystem::path& folder, const Target& target,
                  const std::string& skin_file,
                  const std::vector<std::pair<std::string, ListedClip>>& clips,
                  CheckReport& report);

}  // namespace mellow
