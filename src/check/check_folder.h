// Checking files that a manifest, or packing itself, names.
#pragma once

#include <filesystem>
#include <string>
#include <utility>
#include <vector>

#include "check/checker.h"

namespace mellow {

/// Demands on files that were looked at already.
struct KnownDemands {
    std::map<std::string, std::vector<Demand>> unmet;  ///< of each file
    std::size_t met = 0;                               ///< of all of them
};

/// Checks a skin file and the files of clips in a folder, each with what is said of it, but for
/// those that are known.
void check_listed(const std::filesystem::path& folder, const Target& target,
                  const std::string& skin_file,
                  const std::vector<std::pair<std::string, ListedClip>>& clips, CheckReport& report,
                  KnownDemands known = {});
/// The demands on one file of a clip.
std::vector<Demand> check_clip(const CheckedFile& file, const Target& target, const Scene* skin,
                               const std::vector<ListedClip>& listed, const std::string& base = {});

}  // namespace mellow
