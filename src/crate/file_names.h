// What the files of a crate are called, but for those that the target names.
#pragma once

#include <filesystem>
#include <set>
#include <string>

#include "mellow/manifest.h"

namespace mellow {

inline constexpr const char* kManifestFile = "crate.json";
inline constexpr const char* kSheetFile = "sheet.png";
inline constexpr const char* kTargetFile = "target.toml";
inline constexpr const char* kJointsFile = "joints.txt";
inline constexpr const char* kRecipeFile = "recipe.toml";
inline constexpr const char* kCuesFile = "cues.csv";
inline constexpr const char* kReportFile = "report.json";
inline constexpr const char* kReportText = "report.txt";

/// Where the thumbnail of a clip goes, within the crate.
inline std::string thumbnail_name(const std::string& clip) { return "thumbs/" + clip + ".png"; }

/// Those of every crate.
std::set<std::string> fixed_files();
/// All files that a crate of this manifest may have, within its folder.
std::set<std::string> files_of(const Manifest& manifest);
/// The same of the text of a manifest of any version; nothing where it is none.
std::optional<std::set<std::string>> files_named(const Bytes& text);
/// What is in a folder and is none of these, sorted.
std::vector<std::string> other_files(const std::filesystem::path& folder,
                                     const std::set<std::string>& own);

}  // namespace mellow
