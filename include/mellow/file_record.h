// FileRecord: a file that was written or read, and what was in it. Manifests, reports and targets
// name files by records; the hash says whether a file is still the one that was meant. Paths are
// relative to the folder of whoever holds the record: a crate, or a recipe.
#pragma once

#include <cstddef>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace mellow {

/// What a file is for.
enum class FileRole {
    kRecipe,
    kTarget,
    kJointList,
    kScene,  ///< with the figure
    kRigSheet,
    kAxes,  ///< a skeleton whose axes joints take
    kMotion,
    kSkin,
    kClip,
    kPicture,
    kThumbnail,
};
/// "recipe", "target", "joint list", "scene", "rig sheet", "axes", "motion", "skin", "clip",
/// "picture" or "thumbnail".
std::string_view name(FileRole role);

/// One file, with its XXH3 128-bit hash in hex.
struct FileRecord {
    FileRole role = FileRole::kScene;
    std::string file;
    std::size_t bytes = 0;
    std::string hash;
    bool part = false;  ///< a file that one with this role refers to, such as its buffer
    std::vector<FileRecord> parts = {};  ///< files that it refers to

    /// What manifests call it: "skin", or "scene part".
    std::string role_text() const;
};
/// The way back of role_text(): role, and whether it is a part; nothing for other texts.
std::optional<std::pair<FileRole, bool>> parse_file_role(std::string_view text);

}  // namespace mellow
