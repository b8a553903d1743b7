// The keys of a target, in a file of its own or in a recipe's [target].
#pragma once

#include <filesystem>

#include "base/toml_table.h"
#include "mellow/target.h"
#include "recipe/clip_names.h"

namespace mellow {

/// Reads the keys that are there and leaves the rest of `target` as it is; mistakes go to the
/// table. Files are looked for in `folder`.
void read_target_keys(TomlTable& t, Target& target, const std::filesystem::path& folder);

/// Reads the file of a target into `target`, with all that it says. Fails as parse_target() does.
Status load_target(const std::filesystem::path& path, Target& target);

/// What fields the names of a target may have: {crate}, {figure}, {clip}, {group}, {rate}, {index}
/// and {id}.
NameFields target_fields();

/// All that a target says, as the text of its file. Its joint list is "joints.txt" beside it.
std::string target_toml(const Target& target);
std::string joint_list_text(const JointList& list);

}  // namespace mellow
